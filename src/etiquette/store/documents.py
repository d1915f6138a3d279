"""Documents in JSON columns: read when they are asked for, so that a row that cannot be read hides no other."""

from typing import Generic, TypeVar, overload

from etiquette.files.documents.document import Document

D = TypeVar("D", bound=Document)


def _read(kind: type[D], row: object, column: str) -> D | None:
    """The document in the column, read once for as long as the column holds the same."""
    values = getattr(row, column)
    if values is None:
        return None
    held = row.__dict__.get(f"_read_{column}")
    if held is None or held[0] is not values:
        held = row.__dict__[f"_read_{column}"] = (values, kind.read(values))
    document: D = held[1]
    return document


class Held(Generic[D]):
    """A document that a row has, kept in its JSON column `column`."""

    def __init__(self, kind: type[D], column: str) -> None:
        self._kind, self._column = kind, column

    @overload
    def __get__(self, row: None, owner: type) -> "Held[D]": ...
    @overload
    def __get__(self, row: object, owner: type) -> D: ...
    def __get__(self, row: object | None, owner: type) -> "D | Held[D]":
        """Raises files.documents.document.OtherVersion."""
        if row is None:
            return self
        document = _read(self._kind, row, self._column)
        assert document is not None  # the column may not be null
        return document

    def __set__(self, row: object, document: D) -> None:
        setattr(row, self._column, document.written())


class MayHold(Generic[D]):
    """The same where the row may have none."""

    def __init__(self, kind: type[D], column: str) -> None:
        self._kind, self._column = kind, column

    @overload
    def __get__(self, row: None, owner: type) -> "MayHold[D]": ...
    @overload
    def __get__(self, row: object, owner: type) -> D | None: ...
    def __get__(self, row: object | None, owner: type) -> "D | MayHold[D] | None":
        """Raises files.documents.document.OtherVersion."""
        return self if row is None else _read(self._kind, row, self._column)

    def __set__(self, row: object, document: D | None) -> None:
        setattr(row, self._column, None if document is None else document.written())
