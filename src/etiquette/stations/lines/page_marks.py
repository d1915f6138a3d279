"""Registration marks that a page brings along: found in its art, or taken where somebody points."""

from sqlalchemy.orm import Session

from etiquette.core.artwork.raster import read_picture
from etiquette.core.errors import JobError
from etiquette.core.marking.own_marks import OwnMark, alike_with, own_marks, recipe_of
from etiquette.files.documents.designs import OwnMarks
from etiquette.stations import designs
from etiquette.stations.designs import DesignState
from etiquette.stations.lines import editing
from etiquette.stations.shop import Shop

Place = tuple[float, float]


def find(shop: Shop, design_id: int, revision: int, at: Place | None) -> None:
    """One edit: the marks of the page, or with `at` (millimetres from its lower left corner) the one that lies there
    and all that look like it. Raises NotThere, JobError, Stale."""
    state = shop.database.within(lambda session: designs.state_of(session, design_id))
    width = state.document.width_mm
    if width is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    picture = read_picture(shop.blobs.read(state.art.picture_sha), state.art.file_name)
    step = width / picture.width_px
    found = alike_with(picture, step, *at) if at else own_marks(picture, step)
    if not found:
        raise JobError(
            "There is no mark where you pointed." if at else "No marks are found on this page.",
            state.document.name,
            "A mark is dark, stands by itself and is as wide as it is high. Point at one of them."
            if not at
            else "A mark is dark, stands by itself and is as wide as it is high.",
        )
    noted = _noted(state, width, found)
    words = f"{len(found)} marks of its own"

    def keep(session: Session) -> None:
        editing.change(session, design_id, revision, words, {"own_marks": noted.model_dump(mode="json")})

    shop.database.within(keep)


def _noted(state: DesignState, width: float, found: list[OwnMark]) -> OwnMarks:
    recipe = recipe_of(found)
    return OwnMarks(
        art_id=state.document.art_id,
        width_mm=width,
        shape=recipe.shape,
        size_mm=recipe.size_mm,
        stroke_mm=recipe.stroke_mm,
        clear_mm=recipe.clear_mm,
        places=[(round(one.x, 4), round(one.y, 4)) for one in found],
    )
