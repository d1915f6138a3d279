"""A job saved as JOB.zip: its documents, its art and print files, and what of the Shelf it is made on."""

import re
import zipfile
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import IO, Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.runs import RunDocument
from etiquette.files.job_file import (
    ART,
    FILES,
    JOB,
    MOST_DESIGNS,
    PRINTS,
    SHELF,
    TABLES,
    ArtInFile,
    DesignInFile,
    FileInFile,
    JobFile,
    JobValues,
    RunInFile,
    StepInFile,
    TableInFile,
    UsedRecipe,
)
from etiquette.files.shelf_file import ShelfFile
from etiquette.stations import plate_sets, runs
from etiquette.stations.designs import meanings_of, states_of
from etiquette.stations.floor.job_files import files_of
from etiquette.stations.floor.jobs import job_there
from etiquette.stations.shelf import exchange
from etiquette.stations.shop import Shop
from etiquette.store.models import (
    Art,
    Cutter,
    DataTable,
    Frame,
    InkColour,
    Job,
    Laminator,
    MarkSet,
    Printer,
    PrintMode,
    Roll,
    RunItem,
    SpecialInk,
    Stock,
    ToolCard,
)
from etiquette.store.rows import loaded

MODELS: Mapping[str, type[Any]] = {
    "stock": Stock, "roll": Roll, "printer": Printer, "laminator": Laminator, "cutter": Cutter, "mark_set": MarkSet,
    "print_mode": PrintMode,
}  # fmt: skip
EPOCH = (2000, 1, 1, 0, 0, 0)
"""The moment that every file in it has: the same job makes the same bytes."""


@dataclass
class _Gathered:
    """What goes into the file: its documents, and the files of the store by the name they get."""

    file: JobFile
    shelf: str
    blobs: dict[str, str] = field(default_factory=dict)


def save(shop: Shop, job_id: int, out: IO[bytes]) -> str:
    """Write the job into `out`; returns what it is called. Raises NotThere, JobError."""
    gathered = shop.database.within(lambda session: _gathered(shop, session, job_id))
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, text in ((JOB, gathered.file.model_dump_json(indent=1) + "\n"), (SHELF, gathered.shelf)):
            packed.writestr(zipfile.ZipInfo(name, EPOCH), text, zipfile.ZIP_DEFLATED)
        for name, sha in gathered.blobs.items():
            entry = zipfile.ZipInfo(name, EPOCH)
            entry.compress_type = zipfile.ZIP_STORED  # pictures and PDF are as small as they get
            with shop.blobs.path(sha).open("rb") as held, packed.open(entry, "w") as file:
                while piece := held.read(1 << 20):
                    file.write(piece)
    return gathered.file.job.name


def _gathered(shop: Shop, session: Session, job_id: int) -> _Gathered:
    """Raises NotThere, JobError."""
    job = job_there(session, job_id)
    if len(job.designs) > MOST_DESIGNS:
        what = f"A file holds {MOST_DESIGNS} designs at most; this job has {len(job.designs)}."
        raise JobError(what, job.name, "Move some of them to another job, and save both.")
    designs = states_of(session, [design.id for design in job.designs])
    documents = [design.document for design in designs.values()]
    art = {row.id: row for row in _art_of(session, documents)}
    own, shared = _runs_of(session, job)
    states = [runs.state_of(shop, session, run_id) for run_id in own]
    things = _things(session, (state.document for state in states), job)
    inks = loaded(session, InkColour, _inks_named(documents))
    specials = loaded(session, SpecialInk, (number for one in documents for number in one.special_inks()))
    names = {number: f"{ART}/{number}-{_plain(row.file_name)}" for number, row in art.items()}
    kept = {f"{FILES}/{row.id}-{_plain(row.name)}": row for row in files_of(session, job.id)}
    named = loaded(session, DataTable, (one.rows.table_id for one in documents if one.rows))
    tables = {f"{TABLES}/{row.id}-{_plain(row.file_name)}": row for row in named.values()}
    file = JobFile(
        job=_values(session, job),
        meanings=next((meanings_of(session, design) for design in job.designs), {}),
        art=[ArtInFile(id=row.id, file_name=row.file_name, page=row.page, file=names[row.id]) for row in art.values()],
        designs=[DesignInFile(id=number, document=state.document.written()) for number, state in designs.items()],
        runs=[_run(session, state) for state in states],
        things={kind: {row.id: row.name for row in rows.values()} for kind, rows in things.items()},  # type: ignore[misc]
        inks={number: row.name for number, row in inks.items()},
        special_inks={number: row.name for number, row in specials.items()},
        tables=[
            TableInFile(id=row.id, file_name=row.file_name, file=name, how=row.note.how())
            for name, row in tables.items()
        ],
        files=[FileInFile(name=row.name, file=name) for name, row in kept.items()],
        left_out=[f"{name} has pieces of other jobs too." for name in shared],
    )
    blobs = {names[number]: row.content_sha for number, row in art.items()}
    blobs |= {name: row.content_sha for name, row in kept.items()}
    blobs |= {name: row.source_sha for name, row in tables.items()}
    for state in states:
        blobs |= _prints(session, state)
    only = {kind: set(rows) for kind, rows in things.items()} | {"ink_colour": set(inks)}
    only["special_ink"] = set(specials)
    only["tool_card"] = set(session.scalars(_cards(only)))
    only["colour_profile"] = {row.colour_profile_id for row in things["print_mode"].values() if row.colour_profile_id}
    return _Gathered(file, without_addresses(exchange.written(shop, session, only=only)), blobs)


def without_addresses(shelf: str) -> str:
    """SHELF.json that reaches no machine: where one stands is nobody else's affair, and an address that came with a
    job must not be sent to. Raises pydantic.ValidationError."""
    held = ShelfFile.model_validate_json(shelf).model_dump(mode="json")
    for machine in (*held["printer"], *held["cutter"]):
        for key in ("address", "eye", "table_eye"):
            if key in machine:
                machine[key] = ""
    there = {one["name"] for one in held["printer"]}
    for ink in held["special_ink"]:
        ink["printer"] = ink["printer"] if ink["printer"] in there else None
    return ShelfFile.model_validate(held).model_dump_json(indent=1) + "\n"


def _cards(only: Mapping[str, set[int]]) -> Any:
    return select(ToolCard.id).where(ToolCard.cutter_id.in_(only["cutter"]), ToolCard.stock_id.in_(only["stock"]))


def _values(session: Session, job: Job) -> JobValues:
    stock = session.get(Stock, job.stock_id) if job.stock_id else None
    laminator = session.get(Laminator, job.laminator_id) if job.laminator_id else None
    return JobValues(
        name=job.name,
        customer=job.customer,
        due=job.due,
        notes=job.notes,
        stock=stock.name if stock else None,
        laminator=laminator.name if laminator else None,
        without_film=job.without_film,
        spare_count=job.spare_count,
        spare_percent=job.spare_percent,
        hand_steps=[StepInFile(**one) for one in job.hand_steps or ()],
        recipe=UsedRecipe.model_validate(job.recipe) if job.recipe else None,
    )


def _art_of(session: Session, documents: Iterable[DesignDocument]) -> Iterator[Art]:
    """The files that designs are made of: where art was arranged, the art it was made from."""
    numbers = set()
    for one in documents:
        numbers |= {one.arranged.of if one.arranged else one.art_id, one.white_art_id, one.clear_art_id} - {None}
    yield from sorted(loaded(session, Art, numbers).values(), key=lambda row: row.id)


def _inks_named(documents: Iterable[DesignDocument]) -> set[int]:
    named = (
        to
        for one in documents
        for to in (
            *one.spot_inks.values(),
            *(change.to for change in one.replaced),
            *(one.rows.inks() if one.rows else ()),
        )
    )
    return {int(meant[4:]) for meant in named if meant.startswith("ink ")}


def _runs_of(session: Session, job: Job) -> tuple[list[int], list[str]]:
    """Runs that are of this job alone, and the names of those it shares."""
    ids = [design.id for design in job.designs]
    with_it = select(RunItem.run_id).where(RunItem.design_id.in_(ids)).distinct()
    numbers = list(session.scalars(with_it.order_by(RunItem.run_id))) if ids else []
    shared = set(
        session.scalars(select(RunItem.run_id).where(RunItem.run_id.in_(numbers), RunItem.design_id.not_in(ids)))
    )
    own = [number for number in numbers if number not in shared]
    return own, [runs.run_there(session, number).name or f"Run {number}" for number in sorted(shared)]


def _things(session: Session, documents: Iterable[RunDocument], job: Job) -> dict[str, dict[int, Any]]:
    """What runs are made on, by kind and number, and the stock and the film of the job."""
    wanted: dict[str, set[int | None]] = {kind: set() for kind in MODELS}
    wanted["stock"].add(job.stock_id)
    wanted["laminator"].add(job.laminator_id)
    for one in documents:
        for kind in MODELS:
            wanted[kind].add(getattr(one, f"{kind}_id"))
        wanted["roll"] |= set(one.more_rolls)
    return {kind: loaded(session, model, wanted[kind]) for kind, model in MODELS.items()}


def _run(session: Session, state: runs.RunState) -> RunInFile:
    codes = dict(session.execute(select(Frame.number, Frame.code).where(Frame.run_id == state.run.id)).tuples().all())
    laid = runs.laid_key(session, state) if state.document.layout and state.fresh else None
    return RunInFile(document=state.document.written(), laid=laid, codes=codes, made_at=state.run.created_at)


def _prints(session: Session, state: runs.RunState) -> dict[str, str]:
    """The print files that the run has as it is now, and its lines."""
    found = {}
    for plate in plate_sets.plates_of(session, state):
        begin = f"{PRINTS}/{_plain(state.document.name)}-{state.run.id}/frame-{plate.summary.frame}"
        for name, sha in plate_sets.plate_files(plate).items():
            found[f"{begin}.{name}.pdf"] = sha
        found[f"{begin}.lines.svg"] = plate.lines_sha
    return found


def _plain(name: str) -> str:
    """A name that every file system takes."""
    return re.sub(r'[\x00-\x1f<>:"/\\|?*]+', " ", name).strip(" .")[-120:] or "file"
