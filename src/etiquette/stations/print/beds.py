"""Blanks of one bed that are frames of their own: each has its print files, and the printer gets one page for all."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.core.printing.beds import BlankPage, bed_file, plates_in_order
from etiquette.core.printing.pdfx4 import as_pdfx4
from etiquette.stations import runs
from etiquette.stations.plate_sets import plate_files, plates_of
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate, Run, Stock, now


@dataclass(frozen=True)
class Printed:
    """A frame that is printed, and what its print is called."""

    name: str
    plate: Plate


def by_prints(plates: Sequence[Plate]) -> list[list[Plate]]:
    """Plates in their order, those that are one print together: the blanks of a bed."""
    prints: list[list[Plate]] = []
    last = None
    for plate in plates:
        lies = plate.summary.plan.lies
        if lies is None or lies.bed != last:
            prints.append([])
        prints[-1].append(plate)
        last = lies.bed if lies else None
    return prints


def bed_files(shop: Shop, width_mm: float, printed: Sequence[Printed]) -> Mapping[str, bytes]:
    """The plates of a bed by their names, in the order in which they are laid down; `width_mm` of the stock. Raises
    JobError."""
    held = [(one, plate_files(one.plate)) for one in printed]
    summary = printed[0].plate.summary
    made = {}
    for plate in plates_in_order([list(files) for _, files in held]):
        blanks = [
            BlankPage(one.name, shop.blobs.read(files[plate]), lies.x_mm, lies.y_mm)
            for one, files in held
            if plate in files and (lies := one.plate.summary.plan.lies)
        ]
        page = bed_file(blanks, width_mm, _length_mm(printed), summary.name)
        made[plate] = as_pdfx4(page, summary.name, now()) if summary.standard == "pdf/x-4" else page
    return made


def _length_mm(printed: Sequence[Printed]) -> float:
    return max(lies.length_mm for one in printed if (lies := one.plate.summary.plan.lies))


def width_of(session: Session, run: Run) -> float:
    """How wide the page of a bed is: as wide as the stock of its run."""
    return session.get_one(Stock, run.document.stock_id).width_mm


def bed_plate(shop: Shop, run_id: int, bed: int, plate: str) -> tuple[bytes, str]:
    """One plate of a bed (from 1) of a run as it is now, and the name of its file. Raises NotThere, JobError."""

    def told(session: Session) -> tuple[float, list[Plate]]:
        state = runs.state_of(shop, session, run_id)
        prints = by_prints(plates_of(session, state))
        here = prints[bed - 1] if bed <= len(prints) else []
        return state.stock.width_mm, [one for one in here if one.summary.plan.lies]

    width, here = shop.database.within(told)
    if not here:
        raise NotThere("There is no such bed.", f"run {run_id}, bed {bed}", "Make the print files of the run first.")
    files = bed_files(shop, width, [Printed(one.summary.code, one) for one in here])
    if plate not in files:
        raise NotThere(f"This bed has no {plate} plate.", here[0].summary.name, "Choose a plate that it has.")
    more = "" if plate == "colour" else f", {plate}"
    return files[plate], f"{here[0].summary.name}, bed {bed}{more}.pdf"
