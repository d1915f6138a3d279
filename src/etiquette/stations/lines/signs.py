"""Braille on a sign: put into dots behind the door, kept with the design, moved and nothing else."""

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.tactile.raised import MOUNTING
from etiquette.core.tactile.signs import sentence_case
from etiquette.core.tactile.sizes import ADA_2010, SIZES
from etiquette.core.tactile.tables import TABLES
from etiquette.files.documents.braille import BrailleDocument
from etiquette.sandbox.braille import braille_of
from etiquette.stations import edits
from etiquette.stations.designs import state_of
from etiquette.stations.lines.signs_schemas import (
    BrailleAsked,
    BrailleChoices,
    PlacementShown,
    PlacementTold,
    SizesShown,
    TableShown,
)
from etiquette.stations.raised import raised_told_of
from etiquette.stations.shop import Shop

FIRST_AT_MM = 10.0
"""New braille begins so far from the left and from the foot of a sign: about what 703.3.2 wants free round it."""


def choices() -> BrailleChoices:
    """The tables and the sets of sizes that there are."""
    return BrailleChoices(
        tables=[TableShown(file=one.file, name=one.name, contracted=one.contracted) for one in TABLES.values()],
        sizes=[
            SizesShown(
                key=one.key, name=one.name, source=one.source, height_mm=one.made_height, contracted=one.contracted
            )
            for one in SIZES.values()
        ],
    )


def put(shop: Shop, design_id: int, asked: BrailleAsked) -> None:
    """One edit: other words, another table, other sizes, or another place. No words: it goes. Raises JobError, Stale,
    NotThere."""
    state = shop.database.within(lambda session: state_of(session, design_id))
    held = state.document.braille
    made = None
    if asked.text.strip():
        said = asked.text if asked.as_typed else sentence_case(asked.text)
        same = held and (held.text, held.as_typed, held.table, held.sizes) == (
            asked.text, asked.as_typed, asked.table, asked.sizes,
        )  # fmt: skip
        if asked.sizes not in SIZES:
            raise JobError(f"There are no sizes called {asked.sizes}.", "sizes", "Choose one of the list.")
        place = {"x_mm": asked.x_mm if asked.x_mm is not None else FIRST_AT_MM,
                 "y_mm": asked.y_mm if asked.y_mm is not None else FIRST_AT_MM}  # fmt: skip
        if held and same:
            made = held.model_copy(update=place)
        else:
            dots = braille_of(said, asked.table, asked.sizes)
            made = BrailleDocument(
                text=asked.text,
                as_typed=asked.as_typed,
                table=asked.table,
                sizes=asked.sizes,
                cells="\n".join(dots.braille.cells),
                back="\n".join(dots.braille.back),
                dots=[(round(float(x), 4), round(float(y), 4)) for x, y in dots.places],
                dot_mm=dots.sizes.made_dot,
                width_mm=round(dots.width_mm, 4),
                height_mm=round(dots.height_mm, 4),
                **place,
            )

    def keep(session: Session) -> None:
        words = "braille" if made else "braille taken away"
        changes = {"braille": made.model_dump(mode="json") if made else None}
        edits.apply(session, "design", design_id, asked.revision, words, changes)

    shop.database.within(keep)


def placement(shop: Shop, session: Session, design_id: int) -> PlacementShown:
    """What 703.2 and 703.3.2 say of a sign whose braille has the sizes of 703.3. Raises NotThere."""
    state = state_of(session, design_id)
    held = state.document.braille
    rules = held is not None and held.sizes == ADA_2010.key
    told = [PlacementTold(words=one.words, x=one.x, y=one.y) for one in raised_told_of(shop, state)] if rules else []
    return PlacementShown(rules=rules, told=told, mounting=MOUNTING)


def heights(shop: Shop, design_id: int, dpi: float) -> bytes:
    """The picture of heights of a design's braille, a 16-bit PNG of the box of its dots. Raises JobError, NotThere."""
    from etiquette.core.tactile.domes import Domes, height_png

    held = shop.database.within(lambda session: state_of(session, design_id)).document.braille
    if held is None:
        raise JobError("There is no braille on this design.", f"design {design_id}", "Write what it says first.")
    domes = Domes(np.array(held.dots), held.dot_mm, SIZES[held.sizes].made_height)
    return height_png([domes], (held.width_mm, held.height_mm), dpi)
