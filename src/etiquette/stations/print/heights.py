"""The picture of heights of a whole frame, for printers that build braille up in passes."""

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.tactile.sizes import SIZES
from etiquette.stations import runs
from etiquette.stations.designs import dots_of
from etiquette.stations.plate_sets import plate_there, plates_of
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate


def heights_of(shop: Shop, plate_id: int, dpi: float) -> bytes:
    """A 16-bit PNG in register with the plate of braille: as large as the frame, turned and mirrored as it is. Raises
    NotThere, JobError."""
    from etiquette.core.tactile.domes import Domes, height_png

    def held(session: Session) -> tuple[Plate, runs.RunState]:
        plate = plate_there(session, plate_id)
        state = runs.state_of(shop, session, plate.run_id)
        if plate.id not in [one.id for one in plates_of(session, state)]:
            raise JobError("The run has changed since.", plate.summary.name, "Make them anew.")
        return plate, state

    plate, state = shop.database.within(held)
    plan = plate.summary.plan
    domes = []
    for one in runs.placements_on_frame(state.document, state.plans, plate.summary.frame - 1):
        design = state.designs[int(one.id)]
        if design.document.braille is None:
            continue
        turn = np.exp(1j * np.radians(one.rotation_deg))
        middles = np.array([complex(dot.centroid.x, dot.centroid.y) for dot in dots_of(design)]) * turn
        places = np.column_stack([middles.real + one.x_mm, middles.imag + one.y_mm])
        sizes = SIZES[design.document.braille.sizes]
        domes.append(Domes(_as_printed(places, plate), design.document.braille.dot_mm, sizes.made_height))
    if not domes:
        raise JobError("There is no braille on this frame.", plate.summary.name, "Write what a sign says at Lines.")
    return height_png(domes, (plan.width_mm, plan.length_mm), dpi)


def _as_printed(places: NDArray[np.float64], plate: Plate) -> NDArray[np.float64]:
    """Places of a frame where they are on its plate of braille."""
    summary = plate.summary
    size = np.array([summary.plan.width_mm, summary.plan.length_mm])
    turned = size - places if summary.half_turn else places
    return np.asarray(np.abs(turned - (size[0], 0.0))) if summary.braille_apart else turned
