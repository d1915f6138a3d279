"""Which designs stand in label webs."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.store.models import LabelWeb


def used_in_webs(session: Session) -> dict[int, str]:
    """The name of a web by each design that it is made of."""
    rows = session.execute(select(LabelWeb.document_json, LabelWeb.name)).tuples()
    return {number: name or "a label web" for document, name in rows for number in document["designs"]}
