"""Taking art in: a design of each picture or page, a newer file in its place, art turned, mirrored and cropped."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.arrangement import WHOLE, Arrangement
from etiquette.core.artwork.files_together import belonging
from etiquette.core.artwork.line_rules import sort_paths, spots_left
from etiquette.core.artwork.spot_inks import Plate
from etiquette.core.errors import JobError
from etiquette.files.documents.designs import Arranged, DesignDocument
from etiquette.files.vectors import read_vectors
from etiquette.sandbox.art import ArtRead, arrange, read_art
from etiquette.stations import recipes
from etiquette.stations.designs import WALK_IN, state_of
from etiquette.stations.line_rules import rules_file, rules_of
from etiquette.stations.lines.editing import change
from etiquette.stations.lines.path_picking import carried, stay
from etiquette.stations.lines.taking_progress import Reached
from etiquette.stations.shop import Shop
from etiquette.store.models import Art, Design, InkColour, Job

MOST_UPLOAD_BYTES = 400 << 20
MOST_FILES = 60
SAME_PAGE_MM = 0.5
SAME_PROPORTION = 0.01
MOST_SPOTS = 60
BEHIND = Arrangement().mirrored()
"""How art lies that is printed on a second surface, to be seen through the stock."""
SMALLEST_CROP = 0.005
"""Share of its width or height that a crop must leave of the art."""


class ArrangeStep(BaseModel):
    """One step of arranging: a turn counter-clockwise, a mirror, to the second surface and back (a mirror that is
    remembered), a crop to a box in shares of the art as it is shown (from its top left), or the art as it came."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    do: Literal["turn", "mirror", "second surface", "crop", "as it came"]
    by: Literal[90, 180, 270] = 90
    box: tuple[float, float, float, float] = WHOLE


@dataclass(frozen=True)
class ArtFile:
    """A file as it was dropped; its content is taken up only while it is read."""

    name: str
    take: Callable[[], bytes]

    @property
    def content(self) -> bytes:
        return self.take()


def take_in(
    shop: Shop,
    content: bytes,
    file_name: str,
    job_id: int | None,
    document: dict[str, Any] | None = None,
    tell: Callable[[Reached], None] = lambda _: None,
) -> list[int]:
    """Read art, keep it, make a design of each picture or page; `tell` hears how far the reading is. Raises JobError;
    nothing is kept then."""
    pages, wanted = read_pages(content, file_name, tell), document or {}
    behind = mirrored_for(shop, pages, file_name, wanted)
    return shop.database.within(lambda session: add_pages(shop, session, pages, file_name, job_id, wanted, behind))


def take_in_together(
    shop: Shop,
    files: list[ArtFile],
    job_id: int | None,
    tell: Callable[[Reached], None] = lambda _: None,
    job_name: str | None = None,
) -> list[int]:
    """Take in files that were dropped together: they are one job, that of `job_id` or a new one, called `job_name` or
    as the first file. A file of white or clear alone is paired by name with the colour it belongs to; `tell` hears how
    far the reading is. Raises JobError; nothing of the pair is kept then, and what was read before it is."""
    if len(files) > MOST_FILES:
        raise JobError(
            f"{len(files)} files were dropped at once; the most is {MOST_FILES}.",
            files[0].name,
            "Drop them in smaller groups.",
        )
    numbered = shop.database.within(rules_file).numbered
    made: list[int] = []
    for one in belonging([file.name for file in files], numbered):
        plates = {plate: files[place] for plate, place in one.plates.items()}
        try:
            if made:
                job_id = job_of(shop, made[0])
            made += _take_art(shop, files[one.art], plates, job_id, tell, job_name)
        except JobError as error:
            if made:
                error.do += f" What was read before it has been taken in: {len(made)} of the designs."
            raise
    return made


def _take_art(
    shop: Shop,
    file: ArtFile,
    plates: dict[Plate, ArtFile],
    job_id: int | None,
    tell: Callable[[Reached], None],
    job_name: str | None,
) -> list[int]:
    """The designs of one file, with the plates that came as files of their own. Raises JobError; nothing is kept."""
    pages = read_pages(file.content, file.name, tell)
    behind = mirrored_for(shop, pages, file.name, {})
    read = {}
    for plate, other in plates.items():
        matching = _paired(pages, file.name, read_pages(other.content, other.name, tell), other.name)
        read[plate] = (other, _mirrored(matching, other.name) if behind else matching)

    def put(session: Session) -> list[int]:
        ids = add_pages(shop, session, pages, file.name, job_id, {}, behind, job_name)
        for plate, (other, matching) in read.items():
            for design_id, page in zip(ids, matching, strict=True):
                art = keep_art(shop, session, page, other.name)
                design = session.get_one(Design, design_id)
                design.document = design.document.changed({f"{plate}_art_id": art.id})
        return ids

    return shop.database.within(put)


def job_of(shop: Shop, design_id: int) -> int:
    return shop.database.within(lambda session: session.get_one(Design, design_id).job_id)


def _paired(colour: list[ArtRead], colour_name: str, other: list[ArtRead], other_name: str) -> list[ArtRead]:
    """`other`, when its pages are those of `colour`. Raises JobError with the reason."""
    if len(colour) != len(other):
        raise JobError(
            f"{colour_name} has {len(colour)} pages and {other_name} has {len(other)}: they do not belong together.",
            other_name,
            "Ask for files with the same pages, or drop them one after the other.",
        )
    for number, (one, two) in enumerate(zip(colour, other, strict=True), 1):
        sizes = [
            page.natural_mm or (page.width_mm or 0.0, (page.width_mm or 0.0) * page.height_px / page.width_px)
            for page in (one, two)
        ]
        if max(abs(a - b) for a, b in zip(*sizes, strict=True)) > SAME_PAGE_MM:
            shown = " and ".join(f"{width:.1f} × {height:.1f} mm" for width, height in sizes)
            raise JobError(
                f"Page {number} of {colour_name} and of {other_name} are not of one size: {shown}.",
                other_name,
                "Ask for files of one size, or drop them one after the other.",
            )
    return other


def set_plate_art(shop: Shop, design_id: int, plate: Plate, content: bytes, file_name: str) -> None:
    """Give a design its white or clear as a file of its own. Raises JobError, NotThere."""
    state = shop.database.within(lambda session: state_of(session, design_id))
    if state.document.arranged:
        raise JobError(
            "The art was turned, mirrored or cropped; the file would not lie over it.",
            state.document.name,
            "Take the art back to how it came first.",
        )
    pages = read_pages(content, file_name)
    if state.art.page >= len(pages):
        raise JobError(
            f"The file has {len(pages)} pages; this design is page {state.art.page + 1}.",
            file_name,
            "Choose the file that belongs to it.",
        )
    page = pages[state.art.page]
    own = state.art.natural_height_mm or state.art.height_px
    proportion = (state.art.natural_width_mm or state.art.width_px) / own
    size = page.natural_mm or (page.width_px, page.height_px)
    if abs(size[0] / size[1] / proportion - 1) > SAME_PROPORTION:
        raise JobError(
            "The file has other proportions than the art, so the two cannot lie on each other.",
            file_name,
            "Choose the file that belongs to it.",
        )

    def put(session: Session) -> None:
        art = keep_art(shop, session, page, file_name)
        change(session, design_id, None, f"{plate} from a file", {f"{plate}_art_id": art.id})

    shop.database.within(put)


def read_pages(content: bytes, file_name: str, tell: Callable[[Reached], None] = lambda _: None) -> list[ArtRead]:
    if len(content) > MOST_UPLOAD_BYTES:
        raise JobError(
            "The file is larger than 400 MB.",
            file_name,
            "Make it smaller: 300 pixels an inch at the printed size is plenty.",
        )
    tell(Reached(name=file_name))

    def reached(page: int, pages: int) -> None:
        tell(Reached(name=file_name, page=page, pages=pages))

    return read_art(content, file_name, reached=reached)


def mirrored_for(shop: Shop, pages: list[ArtRead], file_name: str, document: dict[str, Any]) -> list[ArtRead]:
    """The pages as they are printed on a second surface, where the choices for them, or for all that comes in, say so;
    else none. Raises JobError."""
    chosen = shop.database.within(lambda session: _chosen(session, document))
    return _mirrored(pages, file_name) if chosen.get("second_surface") else []


def _mirrored(pages: list[ArtRead], file_name: str) -> list[ArtRead]:
    return [arrange(page.content, file_name, BEHIND) for page in pages]


def _chosen(session: Session, document: dict[str, Any]) -> dict[str, Any]:
    """By the shop's defaults, where `document` says nothing else."""
    begin = recipes.for_all(session)
    return {**(begin.document.lines if begin else {}), **document}


def add_pages(
    shop: Shop,
    session: Session,
    pages: list[ArtRead],
    file_name: str,
    job_id: int | None,
    document: dict[str, Any],
    behind: Sequence[ArtRead] = (),
    job_name: str | None = None,
) -> list[int]:
    """Rows of the art and a design of each page, in the job of `job_id`, else in a new one that is called `job_name`,
    else as the file; returns their ids. `behind`: the pages as `mirrored_for` gives them. Raises JobError."""
    plain = file_name.rsplit(".", 1)[0].replace("-", " ").replace("_", " ").strip() or "Design"
    name = plain[:110].capitalize()
    job = session.get(Job, job_id) if job_id else None
    if job is None:
        job = Job(name=job_name or name, customer=WALK_IN, due=None)
        session.add(job)
    session.flush()
    chosen = _chosen(session, document)
    if chosen.get("second_surface") and len(behind) != len(pages):
        what = "The shop's defaults were changed while this was read."
        raise JobError(what, file_name, "Take it in once more.")
    made = []
    for number, page in enumerate(pages):
        art = came = keep_art(shop, session, page, file_name)
        arranged: Arranged | None = None
        if chosen.get("second_surface"):
            art = keep_art(shop, session, behind[number], file_name, page.page)
            arranged = Arranged(of=came.id, crop=BEHIND.crop, mirror=BEHIND.mirror, turn=BEHIND.turn)
        own = name if len(pages) == 1 else f"{name}, page {page.page + 1}"
        vectors = read_vectors(page.vectors) if page.vectors is not None else None
        found = sort_paths(vectors.paths, rules_of(session)) if vectors else None
        has_lines = found is not None and bool(found.caught)
        known = _known_inks(session, spots_left(vectors, found)) if vectors and found else {}
        # a picture that fills its frame has no ground: a rectangle round it is what it can have at once
        offered = (
            {"follow": "none" if has_lines else "edge"} if page.ground_told else {"follow": "page", "offset_mm": 0.0}
        )
        values = {"name": own, "width_mm": page.width_mm, "spot_inks": known, **chosen, **offered, **document}
        fresh = DesignDocument(**values, art_id=art.id, arranged=arranged)
        design = Design(job_id=job.id, document=fresh)
        session.add(design)
        session.flush()
        made.append(design.id)
    return made


def _known_inks(session: Session, spots: list[str]) -> dict[str, str]:
    """What named colours mean that the shop's library has under the same name: nobody has to be asked."""
    library = {one.name.casefold(): one.id for one in session.scalars(select(InkColour).where(~InkColour.away))}
    named = ((spot, library.get(spot.strip().casefold())) for spot in spots)
    return dict([(spot, f"ink {number}") for spot, number in named if number is not None][:MOST_SPOTS])


def keep_art(shop: Shop, session: Session, page: ArtRead, file_name: str, number: int | None = None) -> Art:
    """The art as a row; `number`: the page it is of its file, when it was arranged and so stands alone."""
    media = {
        "picture": "application/octet-stream",
        "pdf": "application/pdf",
        "svg": "image/svg+xml",
        "dxf": "image/vnd.dxf",
    }
    natural = page.natural_mm or (None, None)
    art = Art(
        form=page.form,
        file_name=file_name[:200],
        page=page.page if number is None else number,
        content_sha=shop.blobs.put(session, page.content, media[page.form]),
        picture_sha=shop.blobs.put(session, page.picture, "image/png"),
        thumb_sha=shop.blobs.put(session, page.thumb, "image/png"),
        vectors_sha=shop.blobs.put(session, page.vectors, "application/gzip") if page.vectors else None,
        width_px=page.width_px,
        height_px=page.height_px,
        natural_width_mm=natural[0],
        natural_height_mm=natural[1],
        size_known=page.width_mm is not None,
    )
    session.add(art)
    session.flush()
    return art


def replace_art(shop: Shop, design_id: int, content: bytes, file_name: str) -> None:
    """Put a newer file in the place of a design's art; every setting stays, its arrangement too, and undo gives the old
    art back. Of a file with several pages the same page is taken. Raises JobError, NotThere."""
    pages = read_pages(content, file_name)
    state = shop.database.within(lambda session: state_of(session, design_id))
    if state.art.page >= len(pages):
        raise JobError(
            f"The new file has {len(pages)} pages; this design is page {state.art.page + 1}.",
            file_name,
            "Take it in as a new design.",
        )
    page = pages[state.art.page]
    held = state.document.arranged
    shown = arrange(page.content, file_name, held.arrangement()) if held else None
    they_stay = stay(shop, state, (shown or page).vectors)

    def put(session: Session) -> None:
        art = keep_art(shop, session, page, file_name)
        changes: dict[str, Any] = {"art_id": art.id}
        if shown and held:
            changes["arranged"] = held.model_copy(update={"of": art.id}).model_dump()
            art = keep_art(shop, session, shown, file_name, art.page)
            changes["art_id"] = art.id
        changes |= carried(state, art.id, they_stay)
        change(session, design_id, None, f"newer art: {file_name}"[:200], changes)

    shop.database.within(put)


_STEP_WORDS = {
    "second surface": "second surface",
    "turn": "art turned",
    "mirror": "art mirrored",
    "crop": "art cropped",
    "as it came": "art as it came",
}


def arrange_art(shop: Shop, design_id: int, revision: int, step: ArrangeStep) -> None:
    """Turn, mirror or crop the art of a design; its scale stays. An edit as any other. Raises JobError, Stale."""
    state = shop.database.within(lambda session: state_of(session, design_id))
    held = state.document.arranged
    source = shop.database.within(lambda session: session.get_one(Art, held.of if held else state.art.id))
    now = held.arrangement() if held else Arrangement()
    if step.do == "crop":
        fresh = now.cropped(step.box)
        if min(fresh.crop[2:]) < SMALLEST_CROP:
            raise JobError("Nearly nothing is left inside that box.", state.document.name, "Draw a larger one.")
    else:
        ways = {"turn": now.turned(step.by), "as it came": Arrangement()}
        fresh = ways.get(step.do) or now.mirrored()
    if fresh == now:
        return
    if state.document.white_art_id or state.document.clear_art_id:
        raise JobError(
            "This design has its white or clear as a file of its own, which would not be arranged with it.",
            state.document.name,
            "Arrange it in the program it came from.",
        )
    shown = arrange(shop.blobs.read(source.content_sha), source.file_name, fresh) if fresh != Arrangement() else None
    as_it_came = shop.blobs.read(source.vectors_sha) if source.vectors_sha else None
    they_stay = stay(shop, state, shown.vectors if shown else as_it_came)

    def put(session: Session) -> None:
        art = (
            keep_art(shop, session, shown, source.file_name, source.page) if shown else session.get_one(Art, source.id)
        )
        arranged = Arranged(of=source.id, crop=fresh.crop, mirror=fresh.mirror, turn=fresh.turn) if shown else None
        # the art keeps its scale, so its width is another one when it is turned or cropped
        scale = state.document.width_mm / _own_width(state.art) if state.document.width_mm else None
        changes = {
            "art_id": art.id,
            "arranged": arranged and arranged.model_dump(),
            "width_mm": round(scale * _own_width(art), 4) if scale else None,
            "area": None,
            **carried(state, art.id, they_stay),
        }
        if step.do in ("second surface", "as it came"):
            changes["second_surface"] = step.do == "second surface" and not state.document.second_surface
        change(session, design_id, revision, _STEP_WORDS[step.do], changes)

    shop.database.within(put)


def _own_width(art: Art) -> float:
    return art.natural_width_mm or float(art.width_px)
