"""What all documents have in common: a version, and a way from every older one."""

from collections.abc import Callable, Mapping
from typing import Annotated, Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, create_model
from pydantic.fields import FieldInfo

from etiquette.core.errors import JobError

VERSION = "version"
Values = dict[str, Any]
Upgrade = Callable[[Values], Values]
"""Makes values of one version into those of the next; it may change what it is given."""


class OtherVersion(JobError):
    """A document that this version of Etiquette cannot read."""


class Document(BaseModel):
    """Values of one row. `upgrades[n]` leads from version n + 1 to n + 2; what was written before there were versions
    is of version 1."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)
    upgrades: ClassVar[tuple[Upgrade, ...]] = ()

    @classmethod
    def read(cls, held: Mapping[str, Any]) -> Self:
        """The document in `held`, as JSON gives it. Raises OtherVersion."""
        values = dict(held)
        version = values.pop(VERSION, 1)
        if not 1 <= version <= len(cls.upgrades) + 1:
            raise _unreadable(cls, f"It is of version {version}; the newest known here is {len(cls.upgrades) + 1}.")
        try:
            for upgrade in cls.upgrades[version - 1 :]:
                values = upgrade(values)
            return cls.model_validate(values)
        except (ValidationError, KeyError, TypeError, IndexError) as error:
            raise _unreadable(cls, f"{type(error).__name__} in {cls.__name__}.") from error

    def changed(self, changes: Mapping[str, Any]) -> Self:
        """The same with `changes`, as JSON gives them. Raises pydantic.ValidationError."""
        return self.model_validate({**self.model_dump(mode="json", by_alias=True), **changes})

    def with_(self, **changes: object) -> Self:
        """The same with values that are known to be right."""
        return self.model_copy(update=changes)

    def written(self) -> Values:
        """The document as JSON takes it, with its version."""
        return {**self.model_dump(mode="json", by_alias=True), VERSION: len(self.upgrades) + 1}


def changes_of(kind: type[Document]) -> type[BaseModel]:
    """A model of changes to a document: any of its values, each as exact as in the document."""
    # no default value: what is not named stays as it is, and is not even in the schema
    values: Any = {name: (bounded(field), Field(default_factory=left_out)) for name, field in kind.model_fields.items()}
    made: type[BaseModel] = create_model(
        kind.__name__.replace("Document", "Changes"),
        __config__=ConfigDict(extra="forbid", allow_inf_nan=False),
        **values,
    )
    return made


def bounded(field: FieldInfo) -> Any:
    return Annotated[field.annotation, *field.metadata] if field.metadata else field.annotation


def left_out() -> None:
    return None


def _unreadable(kind: type[Document], why: str) -> OtherVersion:
    return OtherVersion(
        "This was kept by another version of Etiquette and cannot be read.",
        kind.__name__,
        f"Open it with the version that wrote it, or a newer one. {why}",
    )
