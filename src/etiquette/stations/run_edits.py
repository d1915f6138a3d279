"""A run is made and edited: one edit at a time, each with its inverse."""

from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.marking.codes import new_code
from etiquette.core.marking.slug_words import FIELDS, unknown_in
from etiquette.files.documents.runs import RunDocument, RunItem
from etiquette.stations import edits, recipes
from etiquette.stations.designs import own_marks_of, states_of
from etiquette.stations.kits import kit_of, room_mm
from etiquette.stations.run_beds import rim_of
from etiquette.stations.run_needs import reads
from etiquette.stations.runs import KIT_SETTINGS, _designs, _key
from etiquette.store.models import (
    Cutter,
    Design,
    Frame,
    Job,
    Laminator,
    MarkSet,
    Printer,
    PrintMode,
    Recipe,
    Roll,
    Run,
    Stock,
)

M = TypeVar("M", Cutter, MarkSet, Printer, Laminator)


def create(session: Session, name: str, items: list[dict[str, int]], stock_id: int | None = None) -> int:
    """A run on the fullest roll of a stock (None: of any, or where that stock has none); without a cutter or a mark set
    on the Shelf it is cut by the printer's own knife, or only printed. Raises JobError when there is no roll."""
    begin, keep_stock = recipes.for_all(session), stock_id is not None
    if not keep_stock and begin is not None:
        stock_id = recipes.for_run(session, begin.document).changes.get("stock_id")
    there = select(Roll).join(Stock).where(~Roll.away, ~Stock.away).order_by((Roll.stock_id == stock_id).desc())
    roll = session.scalar(there.order_by(Roll.remaining_mm.desc()).limit(1))
    if roll is None:
        raise JobError("There is no roll yet.", "Shelf", "Put a stock and a roll of it on the Shelf first.")
    document = first_document(session, roll, name, [RunItem(**item) for item in items])
    if document.way == "print" and _all_bring_marks(session, document):
        document = document.changed({"laying": "page"})
    refuse_strangers(session, document)
    run = Run(document=document)
    session.add(run)
    session.flush()
    give_code(session, run.id, 1)
    if begin is not None:
        use(session, run.id, None, begin, keep_stock)
    _with_film_of_jobs(session, run)
    return run.id


def _with_film_of_jobs(session: Session, run: Run) -> None:
    """The film that its jobs say, where those that say one agree."""
    ids = [item.design_id for item in run.document.items]
    wanted = select(Job.laminator_id, Job.without_film).join(Design).where(Design.id.in_(ids)).distinct()
    said = {None if without else number for number, without in session.execute(wanted).tuples() if without or number}
    if len(said) == 1 and said != {run.document.laminator_id}:
        change(session, run.id, None, "with the film of its job", {"laminator_id": said.pop()})


def use(
    session: Session, run_id: int, revision: int | None, recipe: Recipe, keep_stock: bool = False
) -> tuple[str, ...]:
    """What a recipe chose for runs, as one edit, but for its stock where that is said already; returns what it names
    that is not here, which stays as it is. Raises JobError, Stale."""
    wanted = recipes.for_run(session, recipe.document)
    of_stock = ("stock_id", "print_mode_id") if keep_stock else ()
    changes = {key: value for key, value in wanted.changes.items() if key not in of_stock}
    if changes:
        change(session, run_id, revision, f"as in {recipe.name}"[:200], changes)
    items = [item.design_id for item in session.get_one(Run, run_id).document.items]
    jobs = session.scalars(select(Design.job_id).where(Design.id.in_(items)))
    recipes.note_use(session, jobs, recipe)
    return wanted.missing


def first_document(session: Session, roll: Roll, name: str, items: list[RunItem]) -> RunDocument:
    """The settings with which a run on the stock of `roll` begins: the first machines of the Shelf."""
    cutter, marks = _first(session, Cutter), _first(session, MarkSet)
    printer, laminator = _first(session, Printer), _first(session, Laminator)
    return RunDocument(
        name=name,
        stock_id=roll.stock_id,
        roll_id=roll.id,
        printer_id=printer.id if printer else None,
        laminator_id=laminator.id if laminator else None,
        cutter_id=cutter.id if cutter else None,
        mark_set_id=marks.id if marks else None,
        way="print" if cutter and marks else "both" if printer and printer.has_knife else "only",
        print_mode_id=_mode_for(session, roll.stock_id, printer.id if printer else None),
        items=items,
    )


def _all_bring_marks(session: Session, document: RunDocument) -> bool:
    """Whether every design of a run is a page with its own marks."""
    ids = [item.design_id for item in document.items]
    there = session.scalars(select(Design).where(Design.id.in_(ids))).all()
    return len(there) == len(set(ids)) > 0 and all(own_marks_of(one) for one in states_of(session, ids).values())


def _first(session: Session, model: type[M]) -> M | None:
    """The first of a kind that is not put away; a printer's own knife is no cutter that a sheet is carried to."""
    there = select(model).where(~model.away).order_by(model.id).limit(1)
    return session.scalar(there.where(Cutter.printer_id.is_(None)) if model is Cutter else there)


def _mode_for(session: Session, stock_id: int, printer_id: int | None) -> int | None:
    """The first mode of this printer on this stock."""
    of_both = select(PrintMode.id).where(
        PrintMode.stock_id == stock_id, PrintMode.printer_id == printer_id, ~PrintMode.tactile
    )
    return session.scalar(of_both.order_by(PrintMode.id).limit(1))


def give_code(session: Session, run_id: int, number: int) -> None:
    """A frame code that no other frame of this shop ever had; a frame that has one keeps it."""
    if session.scalar(select(Frame.id).where(Frame.run_id == run_id, Frame.number == number)):
        return
    while True:
        try:
            with session.begin_nested():
                session.add(Frame(run_id=run_id, number=number, code=new_code()))
            return
        except IntegrityError:
            continue


def change(session: Session, run_id: int, revision: int | None, words: str, changes: dict[str, Any]) -> None:
    """One edit of a run. Raises JobError, Stale. A layout that still fits after a change of stock or machines stays as
    it is, and its marks are laid anew."""
    run = edits.locked(session, "run", run_id)
    if {"layout", "layout_key", "kept", "filled"} & set(changes):
        raise JobError("A layout is made by nesting.", "layout", "Press Nest again.")
    if "stock_id" in changes and "roll_id" not in changes:
        roll = session.scalar(
            select(Roll)
            .where(Roll.stock_id == changes["stock_id"], ~Roll.away)
            .order_by(Roll.remaining_mm.desc())
            .limit(1)
        )
        if roll is None:
            raise JobError(
                "There is no roll of this stock.", "stock", "Add a roll on the Shelf, or choose another stock."
            )
        changes = {**changes, "roll_id": roll.id}
    if {"stock_id", "printer_id"} & set(changes) and "print_mode_id" not in changes:
        stock_id = changes.get("stock_id", run.document.stock_id)
        printer_id = changes.get("printer_id", run.document.printer_id)
        changes = {**changes, "print_mode_id": _mode_for(session, stock_id, printer_id)}
    if {"stock_id", "roll_id"} & set(changes) and "more_rolls" not in changes:
        # rolls of the stock that the run is on now, and none of them twice
        stock_id = changes.get("stock_id", run.document.stock_id)
        kept = [key for key in run.document.more_rolls if session.get_one(Roll, key).stock_id == stock_id]
        changes = {**changes, "more_rolls": [key for key in kept if key != changes.get("roll_id")]}
    changes = _with_what_cuts(session, run.document, changes)
    changes = _with_marks_it_reads(session, run.document, changes)
    before, checked = run.document, run.document.changed(changes)
    refuse_strangers(session, checked)
    now, clean = before.written(), checked.written()
    changed = {name: clean[name] for name in changes if clean[name] != now[name]}
    if KIT_SETTINGS & set(changed) and _still_fits(session, before, checked):
        changed["layout_key"] = _key(checked, kit_of(session, checked), _designs(session, checked))
    edits.apply(session, "run", run_id, revision, words, changed)


def _with_what_cuts(session: Session, before: RunDocument, changes: dict[str, Any]) -> dict[str, Any]:
    """A run that is to be cut elsewhere after all gets the first cutter and mark set, where it has none. Raises
    JobError when there are none."""
    if changes.get("way", before.way) in ("only", "both"):
        return changes
    found = dict(changes)
    for key, row, words in (
        ("cutter_id", _first(session, Cutter), "cutter"),
        ("mark_set_id", _first(session, MarkSet), "mark set"),
    ):
        if found.get(key, getattr(before, key)) is None:
            if row is None:
                raise JobError(f"There is no {words} yet.", "Shelf", f"Put a {words} on the Shelf, or only print this.")
            found[key] = row.id
    return found


def _with_marks_it_reads(session: Session, before: RunDocument, changes: dict[str, Any]) -> dict[str, Any]:
    """Another cutter takes the first mark set that it reads, where it does not read that of the run; marks that are
    chosen have to be of those it reads. Raises JobError."""
    if changes.get("cutter_id") is None and changes.get("mark_set_id") is None:
        return changes
    cutter = session.get(Cutter, changes.get("cutter_id", before.cutter_id) or 0)
    marks = session.get(MarkSet, changes.get("mark_set_id", before.mark_set_id) or 0)
    if cutter is None or marks is None or reads(cutter.mark_shapes, marks.shape):
        return changes
    there = session.scalars(select(MarkSet).where(~MarkSet.away).order_by(MarkSet.id))
    other = next((one for one in there if reads(cutter.mark_shapes, one.shape)), None)
    if "mark_set_id" in changes or other is None:
        read = ", ".join(cutter.mark_shapes)
        raise JobError(
            f"{cutter.name} does not read {marks.name}: it reads {read}.",
            marks.name,
            "Put such a mark set on the Shelf.",
        )
    return {**changes, "mark_set_id": other.id}


def _still_fits(session: Session, before: RunDocument, after: RunDocument) -> bool:
    """Whether the layout, made for the run as it was, has room on what the run is made on now."""
    layout = after.layout
    designs = _designs(session, before)
    if layout is None or before.layout_key != _key(before, kit_of(session, before), designs):
        return False
    old, kit = kit_of(session, before), kit_of(session, after)
    if kit.stock.width_mm > old.stock.width_mm:
        return False  # a wider stock is not bought to be left empty
    was, has = room_mm(before, old), room_mm(after, kit)
    if rim_of(before, old) != rim_of(after, kit):
        return False  # blanks with their own marks
    if after.laying == "bed" or has[0] < was[0] - 1e-6:
        return has == was  # places on a bed, and work at the right edge, would move
    return has[1] >= was[1] - 1e-6


def refuse_strangers(session: Session, document: RunDocument) -> None:
    """Raises JobError when the run names what is not on the Shelf or does not go together."""
    for model, key in (
        (Stock, document.stock_id),
        (Roll, document.roll_id),
        (Printer, document.printer_id),
        (Laminator, document.laminator_id),
        (Cutter, document.cutter_id),
        (MarkSet, document.mark_set_id),
    ):
        if key is not None and session.get(model, key) is None:
            raise JobError(
                f"The {model.__tablename__.replace('_', ' ')} is not on the Shelf.", "run", "Choose one that is there."
            )
    cutter = session.get(Cutter, document.cutter_id or 0)
    if cutter is not None and cutter.printer_id is not None:
        raise JobError(
            f"{cutter.name} cuts only what its printer prints.",
            cutter.name,
            "Choose another cutter, or let the printer cut what it prints (Print).",
        )
    for key in document.more_rolls:
        roll = session.get(Roll, key)
        if roll is None or roll.stock_id != document.stock_id:
            raise JobError(
                "A run goes on on rolls of its own stock alone.",
                "roll",
                "Choose one of the same stock, or put it there.",
            )
    mode = session.get(PrintMode, document.print_mode_id) if document.print_mode_id else None
    if document.print_mode_id and (
        mode is None or (mode.stock_id, mode.printer_id) != (document.stock_id, document.printer_id)
    ):
        raise JobError("This print mode is not one of this printer on this stock.", "print mode", "Choose one that is.")
    printer = session.get(Printer, document.printer_id) if document.printer_id else None
    if document.way in ("both", "cut") and not (printer and printer.has_knife):
        raise JobError(
            "This printer has no knife of its own.", "printer", "Choose one that has, or print for another cutter."
        )
    strange = unknown_in(document.slug or "")
    if strange:
        raise JobError(
            f"{strange} is no field of a slug.",
            "slug",
            f"Take it out, or write one of {', '.join(f'{{{field}}}' for field in FIELDS)}.",
        )
    ids = [item.design_id for item in document.items]
    if len(ids) != len(set(ids)) or any(session.get(Design, key) is None for key in ids):
        raise JobError(
            "A design is not there, or stands twice in the run.",
            "designs",
            "Choose each design once and set its count.",
        )
