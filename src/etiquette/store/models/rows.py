"""Tables that copies of designs are filled from, and the shop's own fonts."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from etiquette.files.documents.fields import TableNote
from etiquette.store.documents import Held
from etiquette.store.models.base import Base, now


class DataTable(Base):
    """A customer's table, read one way: the file as it came, and its rows as files.rows_file keeps them. Designs name
    it in their documents; read another way it is another row. `job_id`: the job it came for."""

    __tablename__ = "data_table"
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int | None] = mapped_column(ForeignKey("job.id", ondelete="SET NULL"), index=True)
    file_name: Mapped[str] = mapped_column(String(200))
    source_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    rows_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    note_json: Mapped[dict[str, Any]] = mapped_column("note")
    note = Held(TableNote, "note_json")
    created_at: Mapped[datetime] = mapped_column(default=now)


class ShopFont(Base):
    """A font of the shop's own, as it was written anew when it was taken in."""

    __tablename__ = "shop_font"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    content_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
