"""Paths of vector art that hands make finish lines by pressing them, or give back to the print."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import LineRule, Sorted, sort_paths
from etiquette.core.artwork.path_picks import Likeness, alike, look_of, path_at, same_places
from etiquette.core.artwork.vectors import PaintedPath, VectorPage
from etiquette.core.errors import JobError
from etiquette.files.documents.designs import PickedPath, PickedPaths
from etiquette.files.line_rules import RuleFile
from etiquette.files.vectors import read_vectors
from etiquette.stations import designs, line_rules
from etiquette.stations.designs import DesignState
from etiquette.stations.line_finding import sorted_paths
from etiquette.stations.lines import editing
from etiquette.stations.shop import Shop


@dataclass(frozen=True)
class Picked:
    """A path that was pressed: what it is now (None: art), how it looks, and how many others are like it."""

    path: PaintedPath
    kind: Kind | None
    like: dict[Likeness, int]


def press(shop: Shop, design_id: int, revision: int, at: tuple[float, float], reach_mm: float, kind: Kind) -> Picked:
    """One edit: the path at `at` (mm from the lower left of the art, as large as it is now) becomes a line of `kind`,
    or art again when it is a line. Raises NotThere, JobError, Stale."""
    state = _with_paths(shop, design_id)
    scale = (state.document.width_mm or 0.0) / (state.art.natural_width_mm or 1.0)
    page, found = sorted_paths(shop, state)
    path = path_at(page.paths, at[0] / scale, at[1] / scale, reach_mm / scale)
    if path is None:
        raise JobError("No path lies there.", state.document.name, "Press a line of the drawing, or inside an area.")
    was = _kinds(found).get(path.number)
    now = None if was else kind
    _keep(shop, state, revision, page, [path], now)
    return _told(page.paths, path, now)


def press_like(shop: Shop, design_id: int, revision: int, number: int, by: Likeness) -> Picked:
    """One edit: what path `number` is, all are that are like it. Raises NotThere, JobError, Stale."""
    state = _with_paths(shop, design_id)
    page, found = sorted_paths(shop, state)
    path = _numbered(state, page.paths, number)
    kind = _kinds(found).get(number)
    _keep(shop, state, revision, page, alike(page.paths, path, by), kind)
    return _told(page.paths, path, kind)


def make_rule(shop: Shop, design_id: int, number: int, by: Likeness) -> LineRule:
    """The first line rule from now on: what is like path `number` is a line as that is. Raises NotThere, JobError."""
    state = _with_paths(shop, design_id)
    page, found = sorted_paths(shop, state)
    path = _numbered(state, page.paths, number)
    kind = _kinds(found).get(number)
    if kind is None:
        raise JobError("That path is no line.", state.document.name, "Press it in the art first.")
    rule = LineRule(kind, *_by(state, path, by))

    def add(session: Session) -> None:
        held = line_rules.rules_file(session)
        if rule not in held.to_rules():
            kept = held.model_copy(update={"rules": [RuleFile.of(rule), *held.rules]})
            line_rules.keep_rules(session, line_rules.rules_version(session), kept)

    shop.database.within(add)
    return rule


def stay(shop: Shop, state: DesignState, vectors: bytes | None) -> bool:
    """Whether what was chosen by hand means the same in other art (as kept) in the place of this."""
    picked = state.document.by_hand()
    if not picked or vectors is None or state.art.vectors_sha is None:
        return False
    old, new = read_vectors(shop.blobs.read(state.art.vectors_sha)), read_vectors(vectors)
    return same_places(old.paths, new.paths, list(picked))


def carried(state: DesignState, art_id: int, they_stay: bool) -> dict[str, Any]:
    """The change of the document that takes what was chosen by hand along to art `art_id`, or forgets it."""
    picked = state.document.picked
    if picked is None or art_id == picked.art_id:
        return {}
    return {"picked": picked.model_copy(update={"art_id": art_id}).model_dump(mode="json") if they_stay else None}


def _by(state: DesignState, path: PaintedPath, by: Likeness) -> tuple[Any, tuple[str, ...]]:
    """How a rule tells what is like `path`. Raises JobError."""
    colour, spots = look_of(path)
    if by == "layer" and path.layers:
        return "name", (path.layers[-1],)
    if by == "colour" and spots:
        return "name", spots[:1]
    if by == "colour" and colour and path.stroke:
        return "colour", (colour,)
    if by == "width" and path.stroke:
        return "width", (f"{path.stroke_mm:.3f}",)
    raise JobError(f"No rule can tell this path by its {by}.", state.document.name, "Choose another likeness.")


def _with_paths(shop: Shop, design_id: int) -> DesignState:
    state = shop.database.within(lambda session: designs.state_of(session, design_id))
    if not state.art.vectors_sha:
        raise JobError("A picture has no paths.", state.document.name, "Choose a PDF, SVG or DXF.")
    if state.document.width_mm is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    return state


def _numbered(state: DesignState, paths: Sequence[PaintedPath], number: int) -> PaintedPath:
    found = next((one for one in paths if one.number == number), None)
    if found is None:
        raise JobError("That path is not in the art any more.", state.document.name, "Press it again.")
    return found


def _kinds(found: Sorted) -> dict[int, Kind]:
    return {one.path.number: one.kind for one in found.caught}


def _keep(
    shop: Shop, state: DesignState, revision: int, page: VectorPage, paths: Sequence[PaintedPath], kind: Kind | None
) -> None:
    """Only what differs from what the rules say is held by hand. The first line in the art takes the place of the one
    round it, which would be cut beside it; when the last is given back, that is there again."""
    by_rule = _kinds(sort_paths(page.paths, state.rules, state.meanings))
    before = state.document.by_hand()
    held = dict(before)
    for path in paths:
        held.pop(path.number, None)
        if by_rule.get(path.number) != kind:
            held[path.number] = kind
    chosen = [PickedPath(number=number, kind=held[number]) for number in sorted(held)]
    picked = PickedPaths(art_id=state.art.id, paths=chosen).model_dump(mode="json") if chosen else None
    changes: dict[str, Any] = {"picked": picked}
    had, has = (any({**by_rule, **one}.values()) for one in (before, held))
    if had != has:
        changes["follow"] = "none" if has else "edge"
    what = "a path" if len(paths) == 1 else f"{len(paths)} paths"
    words = f"{what}: {kind}" if kind else f"{what} back in the art"
    shop.database.within(lambda session: editing.change(session, state.design.id, revision, words, changes))


def _told(paths: Sequence[PaintedPath], path: PaintedPath, kind: Kind | None) -> Picked:
    ways: tuple[Likeness, ...] = ("layer", "colour", "width")
    return Picked(path, kind, {by: len(alike(paths, path, by)) - 1 for by in ways})
