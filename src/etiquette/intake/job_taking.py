"""A JOB.zip taken in: its art is read behind the door as if it came from a customer, what it is made on is looked for
on the Shelf by name, and what is not there is taken from the file."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC
from typing import Any

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.files.contracts import parse_file
from etiquette.files.documents.designs import Arranged, DesignDocument
from etiquette.files.documents.runs import RunDocument
from etiquette.files.job_file import JOB, SHELF, DesignInFile, JobFile, RunInFile, TableInFile
from etiquette.intake.job_saving import MODELS, without_addresses
from etiquette.intake.schemas import JobTaken, SavedJob
from etiquette.sandbox.art import ArtRead, arrange
from etiquette.sandbox.packed import unpacked
from etiquette.sandbox.tables import TableRead, table_of
from etiquette.stations import runs
from etiquette.stations.designs import WALK_IN, customer_key
from etiquette.stations.floor import job_files
from etiquette.stations.lines.rows import keep_table
from etiquette.stations.lines.taking_in import MOST_UPLOAD_BYTES, keep_art, read_pages
from etiquette.stations.lines.tasks import find_lines
from etiquette.stations.run_edits import give_code, refuse_strangers
from etiquette.stations.schemas import OfDesign
from etiquette.stations.shelf import exchange
from etiquette.stations.shelf.schemas import ThingNamed
from etiquette.stations.shop import Shop
from etiquette.stations.whole import of_wholes
from etiquette.store.models import (
    Art,
    Customer,
    Design,
    Frame,
    InkColour,
    Job,
    Laminator,
    Roll,
    Run,
    SpecialInk,
    Stock,
    now,
)
from etiquette.tasks.task import Outcome, Report
from etiquette.tasks.work import submit

NEEDED = ("stock", "roll", "printer", "laminator", "cutter", "mark_set", "print_mode", "ink_colour")
COMES_ALONG = {"tool_card", "colour_profile"}
"""Taken only together with what they belong to, where that is new here."""
READ_SHARE = 0.9
"""How much of the time the reading of the art takes, about."""


@dataclass
class Taken:
    """`told`: what a person should know of it, in sentences."""

    job_id: int
    designs: list[int] = field(default_factory=list)
    told: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class _Read:
    """The art of a file as the readers have it, by its number there; arranged art by the design that has it so."""

    art: Mapping[int, ArtRead]
    arranged: Mapping[int, ArtRead]
    files: Mapping[str, bytes]
    tables: Mapping[int, TableRead]


def kept(shop: Shop, content: bytes, name: str) -> str:
    """The file, kept for the task that takes it in: it may be hundreds of designs. Raises JobError."""
    if len(content) > MOST_UPLOAD_BYTES:
        raise JobError("The file is larger than 400 MB.", name, "Save a job of fewer designs.")
    return shop.database.within(lambda session: shop.blobs.put(session, content, "application/zip"))


def take(shop: Shop, wanted: SavedJob, report: Report) -> Outcome[JobTaken]:
    """Task: the job as a new one, its lines to be found. Raises JobError; of the job nothing is kept then."""
    held = unpacked(shop.blobs.read(wanted.sha), wanted.name)
    file = parse_file(JobFile, held[JOB], JOB)
    documents = {one.id: _design_document(one) for one in file.designs}
    read = _read(file, held, documents, report)
    told = _shelf_taken(shop, file, held)
    report(READ_SHARE, "Putting it into the shop")

    def publish(session: Session) -> JobTaken:
        taken = _put(shop, session, file, documents, read, told)
        for design in taken.designs:
            submit(session, find_lines, OfDesign(design_id=design))
        return JobTaken(job_id=taken.job_id, told=taken.told)

    return Outcome(JobTaken(job_id=None, told=told), publish)


def _design_document(one: DesignInFile) -> DesignDocument:
    try:
        return DesignDocument.read(one.document)
    except JobError as error:
        raise JobError(f"A design of the file cannot be read. {error.what}", f"design {one.id}", error.do) from None


def _read(file: JobFile, held: Mapping[str, bytes], documents: Mapping[int, DesignDocument], report: Report) -> _Read:
    """Every file of art read once. Raises JobError, also when it is told to stop."""
    pages: dict[bytes, list[ArtRead]] = {}
    art = {}
    for done, one in enumerate(file.art):
        if not report(READ_SHARE * done / len(file.art), f"Reading {one.file_name}"):
            raise JobError("It was stopped: nothing of the job was taken in.", one.file_name, "Take it in again.")
        content = held.get(one.file)
        if content is None:
            raise JobError(f"The art {one.file_name} is not in the file.", one.file, "Save the job again.")
        if content not in pages:
            pages[content] = read_pages(content, one.file_name)
        found = pages[content]
        art[one.id] = found[one.page] if one.page < len(found) else found[0]
    arranged = {}
    for number, document in documents.items():
        how = document.arranged
        wanted = {how.of if how else document.art_id, document.white_art_id, document.clear_art_id} - {None}
        if missing := wanted - set(art):
            raise JobError("The art of a design is not in the file.", f"{document.name}, {missing}", "Save it again.")
        if how is not None:
            arranged[number] = arrange(art[how.of].content, document.name, how.arrangement())
    if gone := next((one for one in file.files if one.file not in held), None):
        raise JobError(f"The file {gone.name} is not in it.", gone.file, "Save the job again.")
    return _Read(art, arranged, held, {one.id: _table(one, held) for one in file.tables})


def _table(one: TableInFile, held: Mapping[str, bytes]) -> TableRead:
    """Read again behind the door, as it was read where it was saved. Raises JobError."""
    if one.file not in held:
        raise JobError(f"The table {one.file_name} is not in the file.", one.file, "Save the job again.")
    return table_of(held[one.file], one.file_name, one.how.to_wish())


def _shelf_taken(shop: Shop, file: JobFile, held: Mapping[str, bytes]) -> list[str]:
    """Put on the Shelf what is named and not there; returns what was, in sentences. Raises JobError."""
    missing = shop.database.within(lambda session: _missing(session, file))
    if not missing:
        return []
    try:
        text = without_addresses(held.get(SHELF, b"").decode())
    except (ValidationError, UnicodeDecodeError):
        what = f"The {missing[0][0].replace('_', ' ')} {missing[0][1]} is not on the Shelf, and {SHELF} cannot be read."
        raise JobError(what, SHELF, "Put it on the Shelf first, or save the job again.") from None
    inside = shop.database.within(lambda session: exchange.compared(shop, session, text, SHELF))
    fresh = {(one.kind, one.name) for one in inside if one.state == "new"}
    for kind, name in missing:
        if (kind, name) not in fresh:
            what = f"The {kind.replace('_', ' ')} {name} is neither on the Shelf nor in the file."
            raise JobError(what, SHELF, "Put it on the Shelf under that name first.")
    wanted = {*missing, *(one for one in fresh if one[0] in COMES_ALONG)}
    exchange.take(shop, text, SHELF, [ThingNamed(kind=kind, name=name) for kind, name in sorted(wanted)])
    told = [f"{name} was put on the Shelf ({kind.replace('_', ' ')})." for kind, name in missing if kind != "roll"]
    return told + [f"The roll {name} was put on the Shelf: look what there really is of it." for kind, name in missing
                   if kind == "roll"]  # fmt: skip


def _missing(session: Session, file: JobFile) -> list[tuple[str, str]]:
    """What the file names and is not here. A roll only where there is none of its stock: what lies on the Shelf of
    another shop does not lie on this one."""
    named = [(kind, name) for kind in NEEDED[:-1] for name in file.things.get(kind, {}).values()]  # type: ignore[call-overload]
    named += [("ink_colour", name) for name in file.inks.values()]
    named += [("special_ink", name) for name in file.special_inks.values()]
    stocks = _stocks_of_rolls(file)
    missing = []
    for kind, name in dict.fromkeys(named):
        model: Any = {**MODELS, "special_ink": SpecialInk}.get(kind, InkColour)
        if session.scalar(select(model.id).where(model.name == name)) is not None:
            continue
        if kind == "roll" and session.scalar(_rolls_of(stocks.get(name))) is not None:
            continue
        missing.append((kind, name))
    return missing


def _stocks_of_rolls(file: JobFile) -> dict[str, str]:
    """The stock of each roll that a run of the file is on, by their names."""
    rolls, stocks = file.things.get("roll", {}), file.things.get("stock", {})
    found = {}
    for run in file.runs:
        stock = stocks.get(run.document.get("stock_id", 0), "")
        for number in (run.document.get("roll_id"), *run.document.get("more_rolls", ())):
            if number in rolls:
                found[rolls[number]] = stock
    return found


def _rolls_of(stock: str | None) -> Any:
    there = select(Roll.id).join(Stock).where(Stock.name == stock, ~Roll.away, ~Stock.away)
    return there.order_by(Roll.remaining_mm.desc()).limit(1)


def _put(
    shop: Shop,
    session: Session,
    file: JobFile,
    documents: Mapping[int, DesignDocument],
    read: _Read,
    told: Sequence[str],
) -> Taken:
    values = file.job
    job = Job(**values.model_dump(exclude={"stock", "laminator", "customer"}), customer=values.customer or WALK_IN)
    job.stock_id = session.scalar(select(Stock.id).where(Stock.name == values.stock)) if values.stock else None
    job.laminator_id = session.scalar(select(Laminator.id).where(Laminator.name == values.laminator))
    session.add(job)
    session.flush()
    job_files.keep(shop, session, job.id, [(one.name, read.files[one.file]) for one in file.files])
    _keep_meanings(session, job, file)
    art = {one.id: keep_art(shop, session, read.art[one.id], one.file_name, one.page) for one in file.art}
    inks = {key: session.scalar(select(InkColour.id).where(InkColour.name == name)) for key, name in file.inks.items()}
    specials = {
        key: session.scalar(select(SpecialInk.id).where(SpecialInk.name == name))
        for key, name in file.special_inks.items()
    }
    tables = {
        one.id: keep_table(shop, session, job.id, read.files[one.file], one.file_name, read.tables[one.id]).id
        for one in file.tables
    }
    made: dict[int, int] = {}
    for number, document in documents.items():
        own = art[document.arranged.of if document.arranged else document.art_id]
        shown = read.arranged.get(number)
        now_has = keep_art(shop, session, shown, own.file_name, own.page) if shown else own
        here = _here(document, art, own, now_has, inks, tables).with_special_inks(specials)
        if here.both_sides and here.both_sides.other not in documents:
            here = here.with_(both_sides=here.both_sides.model_copy(update={"other": None}))
        design = Design(job_id=job.id, document=here)
        session.add(design)
        session.flush()
        made[number] = design.id
    of_wholes(session, made)
    taken = Taken(job.id, list(made.values()), [*told, *file.left_out])
    for run in file.runs:
        taken.told += _put_run(shop, session, file, run, made, tables)
    return taken


def _keep_meanings(session: Session, job: Job, file: JobFile) -> None:
    """What the customer means by words, where nobody has asked here yet."""
    name = customer_key(job)
    if file.meanings and session.get(Customer, name) is None:
        session.add(Customer(name=name, **{f"{word}_means": kind for word, kind in file.meanings.items()}))


def _here(
    document: DesignDocument,
    art: Mapping[int, Art],
    own: Art,
    now_has: Art,
    inks: Mapping[int, int | None],
    tables: Mapping[int, int],
) -> DesignDocument:
    """The document with the numbers that art and colours have here. Raises JobError."""

    def ink(meant: str) -> str:
        return f"ink {inks[int(meant[4:])]}" if meant.startswith("ink ") and inks.get(int(meant[4:])) else meant

    plates = {f"{plate}_art_id": art[key].id if (key := getattr(document, f"{plate}_art_id")) else None
              for plate in ("white", "clear")}  # fmt: skip
    of_art = {
        key: held.model_copy(update={"art_id": now_has.id}) if held and held.art_id == document.art_id else None
        for key, held in (("picked", document.picked), ("own_marks", document.own_marks))
    }
    arranged: Arranged | None = document.arranged
    return document.with_(
        art_id=now_has.id,
        arranged=arranged.model_copy(update={"of": own.id}) if arranged else None,
        spot_inks={spot: ink(meant) for spot, meant in document.spot_inks.items()},
        replaced=[one.model_copy(update={"to": ink(one.to)}) for one in document.replaced],
        tiles=document.tiles and document.tiles.model_copy(update={"stock_id": None}),
        rows=document.rows and document.rows.renamed(tables.get(document.rows.table_id or 0), ink),
        **plates,
        **of_art,
    )


def _put_run(
    shop: Shop,
    session: Session,
    file: JobFile,
    one: RunInFile,
    made: Mapping[int, int],
    tables: Mapping[int, int],
) -> list[str]:
    """Raises JobError."""
    before = RunDocument.read(one.document)
    told: list[str] = []
    things = {kind: _thing_here(session, file, kind, getattr(before, f"{kind}_id")) for kind in MODELS}
    if things["roll"] is None:
        things["roll"] = session.scalar(_rolls_of(file.things.get("stock", {}).get(before.stock_id)))
        told.append(f"{before.name} is on another roll here: its own is that of the shop it came from.")
    more = [found for key in before.more_rolls if (found := _thing_here(session, file, "roll", key))]
    if things["stock"] is None or things["roll"] is None:
        raise JobError(f"The stock or the roll of {before.name} is not named in the file.", JOB, "Save the job again.")
    document = _run_here(before, things, [key for key in more if key != things["roll"]], made, tables)
    refuse_strangers(session, document)
    run = Run(document=document, created_at=min(one.made_at.astimezone(UTC).replace(tzinfo=None), now()))
    session.add(run)
    session.flush()
    told += _give_codes(session, run, one)
    state = runs.state_of(shop, session, run.id)
    if one.laid is not None and runs.laid_key(session, state) == one.laid:
        run.document = document.with_(layout_key=state.key)
    elif document.layout is not None:
        told.append(f"{document.name} is to be nested again: this shop has other settings of what it is made on.")
    return told


def _thing_here(session: Session, file: JobFile, kind: str, number: int | None) -> int | None:
    name = file.things.get(kind, {}).get(number or 0)  # type: ignore[call-overload]
    found: int | None = session.scalar(select(MODELS[kind].id).where(MODELS[kind].name == name).limit(1))
    return found


def _run_here(
    document: RunDocument,
    things: Mapping[str, int | None],
    more: Sequence[int],
    made: Mapping[int, int],
    tables: Mapping[int, int],
) -> RunDocument:
    """The run with the numbers that things and designs have here. Raises JobError."""
    try:
        items = [item.model_copy(update={"design_id": made[item.design_id]}) for item in document.items]
        layout = document.layout and document.layout.model_copy(
            update={
                "placements": [_renamed(one, made) for one in document.layout.placements],
                "unplaced": [_renamed(one, made) for one in document.layout.unplaced],
            }
        )
        filled = {
            made[key]: one.model_copy(update={"table_id": tables.get(one.table_id or 0)})
            for key, one in document.filled.items()
        }
        pinned = [f"{made[int(key.split('-')[0])]}-{key.split('-', 1)[1]}" for key in document.pinned]
    except (KeyError, ValueError, IndexError):
        what = f"{document.name} has pieces of a design that is not in the file."
        raise JobError(what, JOB, "Save the job again.") from None
    numbers = {f"{kind}_id": number for kind, number in things.items()}
    changes = {
        "items": items,
        "layout": layout,
        "pinned": pinned,
        "filled": filled,
        "bed": document.bed.renamed(made, keep_stock=False),
        "kept": [],
        "layout_key": None,
        "more_rolls": more,
    }
    return document.with_(**numbers, **changes)


def _renamed(one: Any, made: Mapping[int, int]) -> Any:
    return one.model_copy(update={"id": str(made[int(one.id)])})


def _give_codes(session: Session, run: Run, one: RunInFile) -> list[str]:
    """The codes that its frames had, where no frame here has them."""
    told = []
    frames = {placement.sheet + 1 for placement in run.document.layout.placements} if run.document.layout else set()
    for number in range(1, max((*one.codes, *frames), default=1) + 1):
        code = one.codes.get(number)
        if code and session.scalar(select(Frame.id).where(Frame.code == code)) is None:
            session.add(Frame(run_id=run.id, number=number, code=code))
            session.flush()
        else:
            give_code(session, run.id, number)
            told += [f"Frame {number} of {run.document.name} has a new code: {code} is taken here."] if code else []
    return told
