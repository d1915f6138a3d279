"""Whether all that is kept is whole: files, ledgers, documents, keys, states."""

from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy import Table, and_, func, select, text
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.files.documents.document import OtherVersion
from etiquette.store.blobs import Blobs, hash_of
from etiquette.store.documents import Held, MayHold
from etiquette.store.models import Art, Base, Blob, Design, Roll, RollEntry
from etiquette.store.naming import NAMES_OF_ART, named_files
from etiquette.store.settling import unfollowed_prints

HAIR_MM = 0.01
"""A ledger adds up to what is left but for what sums of decimals lose."""
MOST_NAMED = 50
"""Of one kind of fault so many are told one by one."""


@dataclass(frozen=True)
class Fault:
    """What is not as it must be, where, and what can be done."""

    what: str
    where: str
    do: str


@dataclass
class Checked:
    files: int = 0
    bytes: int = 0
    rows: int = 0


def faults(session: Session, blobs: Blobs, checked: Checked) -> Iterator[Fault]:
    """Every fault of a shop; `checked` says how much was looked at."""
    yield from _tables(session, checked)
    yield from _files(session, blobs, checked)
    yield from _keys(session)
    yield from _art(session)
    yield from _ledgers(session)
    yield from _documents(session)
    yield from _states(session)


def _tables(session: Session, checked: Checked) -> Iterator[Fault]:
    """What the database says of its own tables."""
    for table in Base.metadata.sorted_tables:
        checked.rows += session.scalar(select(func.count()).select_from(table)) or 0
        for row in session.execute(text(f"CHECK TABLE `{table.name}`")).mappings():
            if row["Msg_type"] in ("error", "warning"):
                yield Fault(f"The database says: {row['Msg_text']}.", table.name, "Restore a copy that is whole.")


def _files(session: Session, blobs: Blobs, checked: Checked) -> Iterator[Fault]:
    """Every file that a row needs is there, and is what its name says."""
    named = named_files(session)
    sizes = dict(session.execute(select(Blob.sha256, Blob.size)).tuples().all())
    for sha, table in sorted(named.items()):
        try:
            path = blobs.path(sha)
        except NotThere:
            yield Fault("A file is gone.", f"{table}, {sha}", "Take it out of a copy, or the art in again.")
            continue
        if path.stat().st_size != sizes.get(sha) or hash_of(path) != sha:
            yield Fault("A file is not what it was.", f"{table}, {sha}", "Take it out of a copy, or the art in again.")
        else:
            checked.files += 1
            checked.bytes += path.stat().st_size


def _keys(session: Session) -> Iterator[Fault]:
    """Every row that another one names is there."""
    for table in Base.metadata.sorted_tables:
        for key in table.foreign_key_constraints:
            of: Table = key.referred_table.alias()  # type: ignore[assignment]
            pairs = [(element.parent, of.c[element.column.name]) for element in key.elements]
            joined = table.outerjoin(of, and_(*(own == its for own, its in pairs)))
            lost = select(func.count()).select_from(joined)
            lost = lost.where(*(own.is_not(None) for own, _ in pairs), pairs[0][1].is_(None))
            if count := session.scalar(lost):
                yield Fault(f"{count} rows name what is not there.", f"{table.name} → {of.name}", "Restore a copy.")


def _art(session: Session) -> Iterator[Fault]:
    """The art that documents of designs name is there."""
    there = set(session.scalars(select(Art.id)))
    named = [func.json_value(Design.document_json, path) for path in NAMES_OF_ART]
    for design, *numbers in session.execute(select(Design.id, *named).order_by(Design.id)).tuples():
        if any(number is not None and int(number) not in there for number in numbers):
            yield Fault("Its art is not there.", f"design {design}", "Restore a copy, or delete the design.")


def _ledgers(session: Session) -> Iterator[Fault]:
    booked = (
        select(RollEntry.roll_id, func.sum(RollEntry.length_mm).label("sum")).group_by(RollEntry.roll_id).subquery()
    )
    rolls = select(Roll, func.coalesce(booked.c.sum, 0.0)).outerjoin(booked, booked.c.roll_id == Roll.id)
    for roll, entered in session.execute(rolls.order_by(Roll.id)).tuples():
        if abs(float(entered) - roll.remaining_mm) > HAIR_MM:
            words = f"The ledger says {float(entered):.1f} mm are left, the roll {roll.remaining_mm:.1f} mm."
            yield Fault(words, roll.name, "Measure it, and type on the Shelf what is left.")


def _documents(session: Session) -> Iterator[Fault]:
    """Every document can be read."""
    for mapper in Base.registry.mappers:
        kept = [name for name, held in vars(mapper.class_).items() if isinstance(held, Held | MayHold)]
        if not kept:
            continue
        for row in session.scalars(select(mapper.class_).execution_options(yield_per=200)):
            for name in kept:
                try:
                    getattr(row, name)
                except (OtherVersion, AssertionError) as error:
                    where = f"{mapper.class_.__tablename__} {mapper.primary_key_from_instance(row)[0]}"
                    yield Fault(f"A document cannot be read: {error}", where, "Restore a copy, or take it away.")


def _states(session: Session) -> Iterator[Fault]:
    """A print that is being printed has somebody who follows it."""
    for sheet in session.scalars(unfollowed_prints()):
        do = "End Etiquette and start it again; then say at Print what became of it."
        yield Fault("It is being printed, and nothing follows it.", sheet.name, do)
