"""Recipes: kept, used for a design or a run, made from how a job was done, compared, exchanged as files."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.files.contracts import parse_file
from etiquette.files.documents.designs import DesignDocument, special_of, with_inks
from etiquette.files.documents.recipes import THINGS, LinesChoices, RecipeDocument, RunChoices, choices_in
from etiquette.files.documents.runs import RunDocument
from etiquette.files.recipe_file import RecipeFile
from etiquette.stations.edits import Stale
from etiquette.stations.recipe_words import LABELS, Part, in_words
from etiquette.store.models import Cutter, Job, Laminator, MarkSet, Printer, PrintMode, Recipe, SpecialInk, Stock, now

MODELS: Mapping[str, type[Any]] = {
    "stock": Stock, "printer": Printer, "laminator": Laminator, "cutter": Cutter, "mark_set": MarkSet,
    "print_mode": PrintMode,
}  # fmt: skip


def all_recipes(session: Session) -> list[Recipe]:
    """Those that are not put away, by name; that for all first."""
    return list(session.scalars(select(Recipe).where(~Recipe.away).order_by(Recipe.for_all.desc(), Recipe.name)))


def recipe_there(session: Session, recipe_id: int) -> Recipe:
    """Raises NotThere."""
    row = session.get(Recipe, recipe_id)
    if row is None:
        raise NotThere("There is no such recipe.", f"recipe {recipe_id}", "Choose one that stands on the Shelf.")
    return row


def add(session: Session, name: str, chosen: Mapping[str, Any]) -> int:
    """A new recipe of `chosen` (lines, run, send); its name gets a number where another one has it. Raises JobError."""
    row = Recipe(name=_free(session, name), document=_document(chosen))
    session.add(row)
    session.flush()
    return row.id


def _free(session: Session, name: str) -> str:
    plain, number, wanted = name.strip()[:110] or "Recipe", 1, name.strip()[:110] or "Recipe"
    while session.scalar(select(Recipe.id).where(Recipe.name == wanted)) is not None:
        number += 1
        wanted = f"{plain} {number}"
    return wanted


def _document(chosen: Mapping[str, Any]) -> RecipeDocument:
    """Raises JobError with the first choice that cannot be."""
    try:
        return RecipeDocument(**chosen)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        place = ".".join(str(part) for part in first["loc"])
        raise JobError(f"This choice cannot be: {first['msg']}.", place, "Give it another value.") from None


def change(session: Session, recipe_id: int, version: int, changes: Mapping[str, Any]) -> None:
    """`lines` and `run` in `changes` are merged into what is chosen, `leave_out` names choices (part, key) that are
    none any more; name, send, for_all and away are set. Raises NotThere, Stale, JobError."""
    row = recipe_there(session, recipe_id)
    if row.version != version:
        raise Stale("recipe", recipe_id, row.version)
    now_chosen = row.document.model_dump(mode="json")
    left = {(part, key) for part, key in changes.get("leave_out", ())}
    for part in ("lines", "run"):
        merged = {**now_chosen[part], **changes.get(part, {})}
        now_chosen[part] = {key: value for key, value in merged.items() if (part, key) not in left}
    row.document = _document({**now_chosen, "send": changes.get("send", now_chosen["send"])})
    if "name" in changes and changes["name"].strip() != row.name:
        row.name = _free(session, changes["name"])
    if changes.get("for_all"):
        for other in session.scalars(select(Recipe).where(Recipe.for_all, Recipe.id != recipe_id)):
            other.for_all = False
    for name in ("for_all", "away"):
        if name in changes:
            setattr(row, name, changes[name])
    row.changed_at = now()


def take_away(session: Session, recipe_id: int) -> None:
    """Jobs keep what they used. Raises NotThere."""
    session.delete(recipe_there(session, recipe_id))


def for_all(session: Session) -> Recipe | None:
    """The shop's defaults, if it has any."""
    return session.scalar(select(Recipe).where(Recipe.for_all, ~Recipe.away).limit(1))


@dataclass(frozen=True)
class ForRun:
    """The choices of a recipe as a run takes them, and what it names that is not here."""

    changes: dict[str, Any]
    missing: tuple[str, ...]


def for_run(session: Session, document: RecipeDocument) -> ForRun:
    """Names become the things that have them; what stands here no more, or is put away, is left as it is and told."""
    changes = {key: value for key, value in document.run.items() if key not in THINGS}
    missing = []
    for thing in THINGS:
        if thing not in document.run:
            continue
        name = document.run[thing]
        row = _named(session, thing, name, changes) if name is not None else None
        if row is None and name is not None:
            missing.append(f"{LABELS['run'][thing].lower()} {name}")
        else:
            changes[f"{thing}_id"] = row.id if row is not None else None
    return ForRun(changes, tuple(missing))


def _named(session: Session, thing: str, name: str, changes: Mapping[str, Any]) -> Any | None:
    model = MODELS[thing]
    wanted = select(model).where(model.name == name, ~model.away)
    if thing == "print_mode" and "stock_id" in changes:
        wanted = wanted.where(PrintMode.stock_id == changes["stock_id"])
    return session.scalar(wanted.limit(1))


def chosen_of(session: Session, design: DesignDocument | None, run: RunDocument | None) -> dict[str, Any]:
    """How a design and a run were done, as a recipe keeps it: what they chose, and on what the run was made."""
    chosen: dict[str, Any] = {"lines": {}, "run": {}}
    if design is not None:
        # its width is that of its very art, and a rectangle for clear lies in a place of it
        but = ("width_mm", "clear") if design.clear == "area" else ("width_mm",)
        chosen["lines"] = choices_in(design, LinesChoices, but=but)
    if run is not None:
        # blanks keep their places, but not whose they were
        chosen["run"] = choices_in(run.with_(bed=run.bed.renamed({}, keep_stock=False)), RunChoices)
        for thing in THINGS:
            number = getattr(run, f"{thing}_id")
            row = session.get(MODELS[thing], number) if number else None
            chosen["run"][thing] = row.name if row is not None else None
    return chosen


@dataclass(frozen=True)
class Difference:
    """A choice that two recipes do not share; empty words: it is left open. `one_mm`, `other_mm`: of a length."""

    part: Part
    label: str
    one: str
    other: str
    one_mm: float | None = None
    other_mm: float | None = None


def differences(one: RecipeDocument, other: RecipeDocument) -> list[Difference]:
    """In the order of the labels."""
    found = []
    for part, labels in LABELS.items():
        first, second = getattr(one, part), getattr(other, part)
        for key, label in labels.items():
            if first.get(key, LABELS) != second.get(key, LABELS):
                words, there = (in_words(part, key, one[key]) if key in one else "" for one in (first, second))
                mm = [one.get(key) if key.endswith("_mm") else None for one in (first, second)]
                found.append(Difference(part, label, words, there, *mm))
    if one.send != other.send:
        sent = ("sent", "held")
        found.append(Difference("run", "When it is ready", *(sent[not one.send], sent[not other.send])))
    return found


def written(session: Session, row: Recipe) -> str:
    """RECIPE.json."""
    document = row.document
    values = {"name": row.name, **document.model_dump(mode="json")}
    numbers = {ink for meant in document.lines.get("marked", {}).values() if (ink := special_of(meant)) is not None}
    if called := session.execute(select(SpecialInk.id, SpecialInk.name).where(SpecialInk.id.in_(numbers))).tuples():
        values["special_inks"] = dict(called.all())
    file = RecipeFile.model_validate(values)
    return file.model_dump_json(indent=1, exclude_unset=True, by_alias=True) + "\n"


def take(session: Session, text: str, where: str) -> int:
    """A recipe from a file. Raises JobError."""
    file = parse_file(RecipeFile, text.encode(), where)
    chosen = file.chosen()
    if "marked" in chosen["lines"]:  # an ink of that number may be another one here
        inks = select(SpecialInk.name, SpecialInk.id).where(~SpecialInk.away)
        here = dict(session.execute(inks).tuples().all())
        numbers = {number: here.get(name) for number, name in file.special_inks.items()}
        chosen["lines"]["marked"] = with_inks(chosen["lines"]["marked"], numbers)
    return add(session, file.name, chosen)


def note_use(session: Session, job_ids: Iterable[int], row: Recipe) -> None:
    """Jobs keep which recipe was used for them last, and what it said then."""
    kept = {"name": row.name, "version": row.version, **row.document.model_dump(mode="json")}
    for job in session.scalars(select(Job).where(Job.id.in_(set(job_ids)))):
        job.recipe = kept
