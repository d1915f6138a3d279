"""Recipes: sets of choices under the shop's own names."""

from datetime import datetime
from typing import Any

from sqlalchemy import String
from sqlalchemy.orm import Mapped, mapped_column

from etiquette.files.documents.recipes import RecipeDocument
from etiquette.store.documents import Held
from etiquette.store.models.base import Base, now


class Recipe(Base):
    """`document`: what is chosen. Whoever used it keeps what it was then."""

    __tablename__ = "recipe"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    document_json: Mapped[dict[str, Any]] = mapped_column("document")
    document = Held(RecipeDocument, "document_json")
    for_all: Mapped[bool] = mapped_column(default=False, server_default="0")
    """What comes in and every new run begin with it: one at most."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
    changed_at: Mapped[datetime] = mapped_column(default=now)
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}
