"""A bed plan kept as a holder for its blanks, to be taken again or drawn."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.files.documents.runs import Blank
from etiquette.stations import runs
from etiquette.stations.run_beds import bed_for
from etiquette.stations.shop import Shop
from etiquette.store.models import Holder


def keep(shop: Shop, session: Session, run_id: int, name: str, play_mm: float) -> int:
    """The blanks of a run as a holder of that name, with as much left beyond them as before them; one that is called so
    already is this one now. Raises NotThere, JobError."""
    state = runs.state_of(shop, session, run_id)
    bed = bed_for(state.document, state.kit, state.designs)
    if state.document.laying != "bed" or not bed.places:
        raise JobError("There are no blanks on the bed.", state.document.name, "Set some down first.")
    near = [min(getattr(place, axis) for place in bed.places) for axis in ("x_mm", "y_mm")]
    far = [max(place.end[axis] for place in bed.places) for axis in (0, 1)]
    values = {
        "width_mm": round(far[0] + near[0], 3),
        "length_mm": round(far[1] + near[1], 3),
        "play_mm": play_mm,
        "places": [
            Blank(
                x_mm=round(one.x_mm, 3), y_mm=round(one.y_mm, 3), width_mm=one.width_mm, height_mm=one.height_mm,
                shape=one.shape, rotation_deg=int(one.rotation_deg) % 360,  # type: ignore[arg-type]
            ).model_dump(mode="json")
            for one in bed.places
        ],
    }  # fmt: skip
    row = session.scalar(select(Holder).where(Holder.name == name).with_for_update())
    if row is None:
        row = Holder(name=name, **values)
        session.add(row)
    else:
        for key, value in {**values, "away": False}.items():
            setattr(row, key, value)
    session.flush()
    return row.id
