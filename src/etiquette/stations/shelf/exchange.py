"""The Shelf as a file, out and in: what is in a file is compared with what stands here, and what is chosen is taken."""

from base64 import b64decode, b64encode
from collections.abc import Collection, Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any

from pydantic import BaseModel, ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.printing.profiles import ProfileFacts
from etiquette.files.contracts import parse_file
from etiquette.files.shelf_file import ShelfFile
from etiquette.sandbox.profiles import facts_of
from etiquette.stations.ledger import correct, opened
from etiquette.stations.shelf.own_knives import keep_knife
from etiquette.stations.shelf.profiles import as_row
from etiquette.stations.shelf.schemas import InFile, Taken, ThingNamed
from etiquette.stations.shelf.things import KINDS
from etiquette.stations.shop import Shop
from etiquette.stations.tools import fill_cards
from etiquette.store.models import ColourProfile, Cutter, Printer, Roll, Stock

ORDER = ("printer", "stock", "laminator", "cutter", "mark_set", "ink_colour", "roll", "colour_profile",
         "print_mode", "tool_card", "special_ink", "finisher", "die", "holder")  # fmt: skip
"""What others refer to comes first."""
REFERENCES: dict[str, dict[str, type[Any]]] = {
    "roll": {"stock": Stock},
    "print_mode": {"stock": Stock, "printer": Printer, "colour_profile": ColourProfile},
    "cutter": {"printer": Printer},
    "special_ink": {"printer": Printer},
    "tool_card": {"cutter": Cutter, "stock": Stock},
}
WORDS = {"mark_set": "mark set", "print_mode": "print mode", "tool_card": "tool card", "ink_colour": "colour",
         "colour_profile": "profile", "special_ink": "special ink"}  # fmt: skip
MOST_WORDS = 4


def written(
    shop: Shop, session: Session, kinds: Sequence[str] = (), only: Mapping[str, Collection[int]] | None = None
) -> str:
    """SHELF.json of the whole Shelf, of `kinds`, or of what is named in `only` by kind and number. What makes a machine
    that machine stays here."""
    made: dict[str, list[dict[str, Any]]] = {}
    for kind in kinds or ORDER:
        rows = [row for row in _rows(session, kind) if only is None or row.id in only.get(kind, ())]
        made[kind] = [_of_row(shop, session, kind, row) for row in rows]
    return ShelfFile.model_validate({"version": 1, **made}).model_dump_json(indent=1) + "\n"


def compared(shop: Shop, session: Session, text: str, where: str) -> list[InFile]:
    """What a file holds, each thing new, other than here, or the same. Raises JobError."""
    file = parse_file(ShelfFile, text.encode(), where)
    here = {kind: {_name(kind, one): one for one in _of_rows(shop, session, kind)} for kind in ORDER}
    found = []
    for kind, thing in _things(file):
        name, now = _name(kind, thing), here[kind].get(_name(kind, thing))
        told = [key for key in thing if key != "code" or thing[key] is not None]  # older files know no codes of rolls
        differs = [] if now is None else [key for key in told if thing[key] != now[key]]
        words = [_other(key, thing[key], now[key]) for key in differs] if now else []
        state: Any = "new" if now is None else "differs" if differs else "same"
        more = f" and {len(words) - MOST_WORDS} more" if len(words) > MOST_WORDS else ""
        found.append(InFile(kind=kind, name=name, state=state, words="; ".join(words[:MOST_WORDS]) + more))
    return found


def take(shop: Shop, text: str, where: str, chosen: Sequence[ThingNamed]) -> Taken:
    """Put what is chosen of a file on the Shelf: what is new is added, what is here becomes as in the file. All or
    nothing. Raises JobError."""
    file = parse_file(ShelfFile, text.encode(), where)
    wanted = {(one.kind, one.name) for one in chosen}
    asked = [one for one in file.colour_profile if ("colour_profile", one.name) in wanted]
    read = {one.name: _profile(one.icc, one.name) for one in asked}
    return shop.database.within(lambda session: _taken(shop, session, file, where, set(wanted), read))


def _profile(icc: str, name: str) -> tuple[bytes, ProfileFacts]:
    """Raises JobError."""
    try:
        content = b64decode(icc, validate=True)
    except ValueError:
        raise JobError("The profile in the file is no base64.", name, "Mend the file, or leave this out.") from None
    return content, facts_of(content, name)


def _taken(
    shop: Shop,
    session: Session,
    file: ShelfFile,
    where: str,
    wanted: set[tuple[str, str]],
    profiles: Mapping[str, tuple[bytes, ProfileFacts]],
) -> Taken:
    added = changed = 0
    come_along: set[Any] = set()  # knives that came with a new printer
    for kind, thing in _things(file):
        name = _name(kind, thing)
        if (kind, name) not in wanted:
            continue
        wanted.discard((kind, name))
        values = _for_row(session, kind, name, thing)
        row = _row_like(session, kind, values)
        if kind == "colour_profile":
            del values["icc"]
            values.update(as_row(shop, session, *profiles[name]))
        if kind == "roll" and not _is_free(session, values["code"], row):
            del values["code"]  # the roll here keeps its own, a new one gets one
        is_new = row is None
        if is_new:
            row = KINDS[kind].model(**values)
            session.add(row)
            session.flush()
            if isinstance(row, Roll):
                opened(session, row)
            added += 1
        else:
            if values.get("address") != getattr(row, "address", None) and hasattr(row, "machine"):
                row.machine = row.certificate = ""  # whoever answers there is asked anew
            if isinstance(row, Roll):
                correct(session, row, values.pop("remaining_mm"), f"as in {where}")
            for key, value in values.items():
                setattr(row, key, value)
            added, changed = (added + 1, changed) if row in come_along else (added, changed + 1)
        session.flush()
        if isinstance(row, Printer):  # its knife may be one of the cutters of the file, which come later
            knife = keep_knife(session, row)
            come_along |= {knife} if knife is not None and is_new else set()
    if wanted:
        kind, name = min(wanted)
        raise JobError(f"There is no {_kind(kind)} {name} in the file.", where, "Choose from what it holds.")
    for cutter in session.scalars(select(Cutter)).all():
        for stock in session.scalars(select(Stock)).all():
            fill_cards(session, cutter.id, stock)
    return Taken(added=added, changed=changed)


def _is_free(session: Session, code: str | None, row: Any) -> bool:
    """Whether a roll can have the code that is on its label: one is named, and no other roll here has it."""
    holder = session.scalar(select(Roll.id).where(Roll.code == code))
    return code is not None and holder in (None, row.id if row is not None else None)


def _things(file: ShelfFile) -> Iterator[tuple[str, dict[str, Any]]]:
    """Every thing of a file with its kind, in the order in which they can be put up. Raises JobError for two of one
    name."""
    for kind in ORDER:
        seen = set()
        for thing in getattr(file, kind):
            plain = thing.model_dump()
            name = _name(kind, plain)
            if name.casefold() in seen:
                raise JobError(f"Two things in the file are the {_kind(kind)} {name}.", name, "Rename one of them.")
            seen.add(name.casefold())
            yield kind, plain


def _rows(session: Session, kind: str) -> Sequence[Any]:
    model = KINDS[kind].model
    # knives of printers last: wherever the file comes in, they come with the printers, before the other cutters
    order = [Cutter.printer_id.is_not(None), Cutter.id] if kind == "cutter" else [model.id]
    return session.scalars(select(model).order_by(*order)).all()


def _of_rows(shop: Shop, session: Session, kind: str) -> list[dict[str, Any]]:
    """The rows of a kind as a file would hold them."""
    rows = [_of_row(shop, session, kind, row) for row in _rows(session, kind)]
    file = ShelfFile.model_validate({"version": 1, kind: rows})
    return [thing.model_dump() for thing in getattr(file, kind)]


def _of_row(shop: Shop, session: Session, kind: str, row: Any) -> dict[str, Any]:
    fields = _model(kind).model_fields
    named = REFERENCES.get(kind, {})

    def name_of(key: str) -> str | None:
        number = getattr(row, f"{key}_id")
        return None if number is None else session.get_one(named[key], number).name

    if kind == "colour_profile":
        return {"name": row.name, "away": row.away, "icc": b64encode(shop.blobs.read(row.content_sha)).decode()}
    values = {key: name_of(key) if key in named else getattr(row, key) for key in fields}
    if kind == "stock":
        printers = {str(one.id): one.name for one in session.scalars(select(Printer))}
        values["names"] = {printers[key]: name for key, name in row.names.items() if key in printers}
    return values


def _model(kind: str) -> type[BaseModel]:
    """The form that one thing of a kind has in the file."""
    annotation: Any = ShelfFile.model_fields[kind].annotation
    model: type[BaseModel] = annotation.__args__[0]
    return model


def _name(kind: str, thing: dict[str, Any]) -> str:
    """What tells a thing from the others of its kind."""
    if kind == "tool_card":
        return f"{thing['kind']} on {thing['stock']}, {thing['cutter']}"
    return str(thing["name"])


def _for_row(session: Session, kind: str, name: str, thing: dict[str, Any]) -> dict[str, Any]:
    """The values of a row: names of other things become their numbers, and addresses are looked at. Raises JobError."""
    values = dict(thing)
    for key, model in REFERENCES.get(kind, {}).items():
        other = session.scalar(select(model.id).where(model.name == thing[key]))
        if other is None and thing[key] is not None:
            raise JobError(
                f"The {_kind(kind)} {name} belongs to the {_kind(key)} {thing[key]}, which is neither here nor chosen.",
                name,
                f"Choose the {_kind(key)} too, or leave this out.",
            )
        del values[key]
        values[f"{key}_id"] = other
    if kind == "stock":  # what a printer calls it that is not here says nothing here
        printers = {one.name: str(one.id) for one in session.scalars(select(Printer))}
        values["names"] = {printers[key]: named for key, named in values["names"].items() if key in printers}
    checked = KINDS[kind].values
    own = {key: value for key, value in values.items() if key in checked.model_fields}
    if "holder" in checked.model_fields:
        own["holder"] = ""
    try:
        checked(**own)
    except ValidationError as error:
        raise JobError(
            f"The {_kind(kind)} {name} cannot be used: {error.errors()[0]['msg']}.", name, "Mend the file."
        ) from None
    return values


def _row_like(session: Session, kind: str, values: dict[str, Any]) -> Any:
    """The row that a thing of a file is here, if it is."""
    model = KINDS[kind].model
    keys = ("cutter_id", "stock_id", "kind") if kind == "tool_card" else ("name",)
    return session.scalar(select(model).where(*(getattr(model, key) == values[key] for key in keys)).with_for_update())


def _kind(kind: str) -> str:
    return WORDS.get(kind, kind)


def _other(key: str, there: Any, here: Any) -> str:
    return "another file" if key == "icc" else f"{_said(key)} {_value(there)}, here {_value(here)}"


def _said(key: str) -> str:
    return key.removesuffix("_mm").replace("_", " ").replace(" m2", " a m²")


def _value(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float | Decimal):
        return f"{float(value):g}"
    if isinstance(value, list | dict):
        return ", ".join(map(str, value)) or "none"
    return str(value) or "nothing"
