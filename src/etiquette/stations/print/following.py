"""One print: handed to the printer, followed, booked; whatever way it ends, a person can go on."""

import time
from collections.abc import Mapping, Sequence
from typing import Literal

from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.media import Media
from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import PROFILES, ToolCard
from etiquette.core.cutting.writers import hpgl
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points
from etiquette.devices import holds
from etiquette.devices.contracts import Document, LineBroken, PrintJob, Progress, Unreachable
from etiquette.devices.reasons import half_sent, in_words, worth_saying
from etiquette.stations import cut_files
from etiquette.stations.ledger import book
from etiquette.stations.machines import names_at, printer_of_run
from etiquette.stations.plate_sets import lines_on_sheet, plate_files
from etiquette.stations.print.beds import Printed, bed_files, width_of
from etiquette.stations.print.own_knife import refuse_other_tool
from etiquette.stations.print.schemas import PrintWork, SheetPrinted
from etiquette.stations.print.tactile_checks import tactile_mode
from etiquette.stations.run_rolls import roll_of
from etiquette.stations.sheet_log import noted
from etiquette.stations.sheets import goes_on, printed_with
from etiquette.stations.shop import LOOK_SECONDS, NOTE_SECONDS, Shop
from etiquette.stations.tools import cards_for, knife_of, offset_of
from etiquette.store.models import Plate, Roll, Run, Sheet, Stock, now
from etiquette.store.states import RunState, SheetState
from etiquette.tasks.task import Outcome, Report

QUICK_LOOKS, SLOW_LOOK_SECONDS = 50, 1.0
"""A printer is asked often at first, and then no more often than a small controller bears."""
HALF_SENT_LOOKS = 20
"""So often in a row a printer says that it still waits for the files of a job that nobody sends: then it is so. After
the last byte it may say so for a moment."""
AGAIN = 3
"""Times a broken line to the printer is taken up again before the operator is asked."""


def print_plate(shop: Shop, wanted: PrintWork, report: Report) -> Outcome[SheetPrinted]:
    """Task: hand the sheet's files to the printer, follow it, book the length on the roll. With `again` nothing is
    handed over: only what became of it is asked and followed. Whatever way it ends, the sheet ends where a person can
    go on."""

    def told(session: Session) -> tuple[Sheet, tuple[Printed, ...], Run, Roll]:
        sheet = session.get_one(Sheet, wanted.sheet_id)
        printed = tuple(Printed(one.name, one.plate) for one in printed_with(sheet))
        return sheet, printed, *_run_and_roll(session, sheet)

    sheet, printed, run, roll = shop.database.within(told, patience_seconds=NOTE_SECONDS)
    job: _PrintJob | None = None
    try:
        job = _PrintJob(shop, sheet, printed, run, roll, handed_over=wanted.again)
        job.follow(report)
    except _Spoiled as spoiled:
        used = spoiled.used_mm

        def booked(session: Session) -> None:
            book(session, roll.id, used, f"spoiled: {run.document.name}", f"sheet {sheet.id}")
            _ends(session, sheet.id, "failed")

        shop.database.within(booked, patience_seconds=NOTE_SECONDS)
        _take_back(shop, printed)
        raise JobError(spoiled.what, spoiled.where, spoiled.do) from None
    except holds.LeftBehind:
        raise  # another one has the printer, and the sheet with it
    except Exception:
        state: Literal["failed", "unclear"] = "unclear" if (job.handed_over if job else wanted.again) else "failed"
        shop.database.within(lambda session: _ends(session, sheet.id, state), patience_seconds=NOTE_SECONDS)
        if state == "failed":
            _take_back(shop, printed)
        raise
    return Outcome(SheetPrinted(sheet_id=sheet.id), lambda session: _printed(session, sheet.id))


def _printed(session: Session, sheet_id: int) -> None:
    for sheet in printed_with(session.get_one(Sheet, sheet_id)):
        run, roll = _run_and_roll(session, sheet)
        way = run.document.way
        length = sheet.plate.summary.plan.stock_mm if way != "cut" else 0.0
        book(session, roll.id, length, f"printed {run.document.name}", f"sheet {sheet.id}")
        sheet.printed_at = now()
        if way in ("both", "cut"):  # cut where it was printed: no film, no other cutter
            sheet.state, sheet.good, run.state = SheetState.CUT, sheet.pieces, RunState.CUT
        else:
            goes_on(session, sheet, run)


def _take_back(shop: Shop, printed: Sequence[Printed]) -> None:
    for one in printed:
        cut_files.take_back(shop, one.plate)


def left_unclear(session: Session, wanted: PrintWork, begun: bool = True) -> None:
    """The print was broken off, by a crash: nobody knows what the printer did. One that was called off while it waited
    is known to be none, unless it was only asked about."""
    sheet = session.get(Sheet, wanted.sheet_id)
    if sheet is not None and sheet.state == "printing":
        _ends(session, sheet.id, "unclear" if begun or wanted.again else "failed")


class _Spoiled(JobError):
    """The printer gave up in the middle; so much of the roll is gone."""

    def __init__(self, what: str, where: str, do: str, used_mm: float) -> None:
        super().__init__(what, where, do)
        self.used_mm = used_mm


def _run_and_roll(session: Session, sheet: Sheet) -> tuple[Run, Roll]:
    return session.get_one(Run, sheet.plate.run_id), roll_of(session, sheet)


def _ends(session: Session, sheet_id: int, state: Literal["failed", "unclear"]) -> None:
    sheet = session.get_one(Sheet, sheet_id)
    for one in printed_with(sheet):
        one.state = SheetState(state)
    session.get_one(Run, sheet.plate.run_id).state = RunState.PLANNED


class _PrintJob:
    """One print: handed over once, then followed for as long as the printer answers."""

    def __init__(
        self, shop: Shop, sheet: Sheet, printed: Sequence[Printed], run: Run, roll: Roll, handed_over: bool
    ) -> None:
        self._shop, self._sheet, self._printed, self._run, self._roll = shop, sheet, printed, run, roll
        self._plate = printed[0].plate
        self._printer = shop.database.within(lambda session: printer_of_run(session, run))
        self._driver = self._printer.driver()
        self.handed_over = handed_over
        """Whether the printer may have the job: then only it can say what became of it."""
        self._sent, self._half_sent = False, 0
        """Whether all of it went out, seen by us; how often in a row the printer said that it waits for the rest."""
        self._cancelled = False

    def follow(self, report: Report) -> None:
        """Raises JobError; _Spoiled when the printer says that it gave up."""
        broken = 0
        while True:
            try:
                progress = self._driver.progress(self._sheet.name)
                if progress.state == "unknown":
                    self._hand_over()
                looks = 0
                while not self._is_over(report):
                    looks += 1
                    time.sleep(LOOK_SECONDS if looks < QUICK_LOOKS else SLOW_LOOK_SECONDS)
                return
            except (LineBroken, Unreachable):
                if not self.handed_over:
                    raise
                broken += 1
                if broken > AGAIN:
                    raise
                time.sleep(LOOK_SECONDS)  # then it is asked again: what it did is known to it, whatever the line did

    def _is_over(self, report: Report) -> bool:
        progress = self._driver.progress(self._sheet.name)
        share = progress.share or 0.0
        if progress.state in ("failed", "cancelled"):
            raise self._spoiled(progress)
        if progress.state == "unknown":
            raise self._untold()
        words = _told(self._printer.name, progress)
        if (not report(share, words, None) or self._never_came(progress)) and not self._cancelled:
            self._driver.cancel(self._sheet.name)  # and then it is followed: it may have been too late
            self._cancelled = True
        return progress.state == "done"

    def _never_came(self, progress: Progress) -> bool:
        """Whether sending was broken off, by a crash or on the line: nothing comes any more, and a printer that waits
        without end would hold up every later job."""
        waits = not self._sent and progress.state == "waiting" and half_sent(progress.reasons)
        self._half_sent = self._half_sent + 1 if waits else 0
        return self._half_sent >= HALF_SENT_LOOKS

    def _spoiled(self, progress: Progress) -> "_Spoiled":
        name, length = self._printer.name, sum(one.plate.summary.plan.stock_mm for one in self._printed)
        used = (progress.share or 0.0) * length if self._run.document.way != "cut" else 0.0
        if progress.state == "cancelled" and self._half_sent and not progress.share:
            what = f"The sheet was broken off on its way to {name}, before anything of it was printed."
            return _Spoiled(what, name, "Print it again: the codes stay the same.", 0.0)
        if progress.state == "cancelled":
            what = f"The print was cancelled{'' if self._cancelled else f' at {name}'}."
            return _Spoiled(what, name, "Print it again when you want it: the codes stay the same.", used)
        why = progress.message or in_words(progress.reasons) or "it does not say why"
        do = "Put that right and print it again: the codes stay the same."
        return _Spoiled(f"{name} stopped: {why.rstrip('.')}.", name, do, used)

    def _untold(self) -> JobError:
        return JobError(
            f"{self._printer.name} does not say what became of this sheet.",
            self._printer.name,
            "Look at the machine, then say what became of the sheet.",
        )

    def _hand_over(self) -> None:
        if self.handed_over:
            raise self._untold()
        shop, driver = self._shop, self._driver
        who, lying = driver.identity(), driver.loaded()
        shop.database.within(lambda session: self._printer.recognise(session, who))
        stock = shop.database.within(lambda session: session.get_one(Stock, self._roll.stock_id))
        names = names_at(self._printer.id, stock, self._roll)
        fits = [one for one in lying if one.name in names]
        if lying and not fits:
            raise JobError(
                f"{self._printer.name} holds {lying[0].name}; this run is on {self._roll.name}.",
                self._printer.name,
                f"Put {self._roll.name} on it, then send it again.",
            )
        shop.database.within(lambda session: refuse_other_tool(shop, session, session.get_one(Plate, self._plate.id)))
        colour = self._plate.summary.colour
        job = PrintJob(
            self._sheet.name,
            self._plate.summary.name,
            documents_for(self._shop, self._printed, self._run),
            media=fits[0].key if fits else "",
            sever=bool(self._run.document.sever),
            mode=self._plate.summary.mode,
            profile=colour.profile if colour else "",
            intent=colour.intent if colour else "",
        )
        shop.still_mine()
        self.handed_over = True
        driver.send(job)
        self._sent = True
        self._give_to_cutter()

    def _give_to_cutter(self) -> None:
        """A cutter that fetches its jobs finds both cut files of every frame from now on. That they could not be put
        there stops no print."""
        try:
            for one in self._printed:
                cut_files.hand_to_cutter(self._shop, one.plate)
        except JobError as error:
            words, sheet_id = f"{error.what} {error.do}", self._sheet.id
            self._shop.database.within(lambda session: noted(session, sheet_id, "look", words))


def _told(name: str, progress: Progress) -> str:
    """How a print stands, with what its printer lacks meanwhile: a queue goes on, whatever that is."""
    said = in_words(worth_saying(progress.reasons)) or progress.of_printer
    if progress.state == "stopped":
        return f"{name} waits: {progress.message or said or 'it does not say why'}"
    words = "Printing" if progress.share is None else f"Printing {progress.share * 100:.0f} %"
    if progress.state == "waiting":
        words = f"{name} has it, and has not begun"
    return f"{words}: {said}" if said else words


def documents_for(shop: Shop, printed: Sequence[Printed], run: Run) -> tuple[Document, ...]:
    """What the printer gets of a frame, or of the blanks of a bed: plates in their order, the cut where the printer has
    a knife. Raises JobError."""
    way, documents, plate = run.document.way, [], printed[0].plate
    if way != "cut":
        # on the other side of the stock, which hands have to turn over first
        apart = {"braille"} if any(one.plate.summary.braille_apart for one in printed) else set()
        held = {name: file for name, file in _plates_of(shop, printed, run).items() if name not in apart}
        braille = (
            shop.database.within(lambda session: tactile_mode(session, run.document)) if "braille" in held else None
        )
        own = {"braille": braille.name if braille else ""}
        documents = [Document(name, file, mode=own.get(name, "")) for name, file in held.items()]
    if way in ("both", "cut"):
        documents.append(Document("cut", _own_cut(shop, plate, run), "application/vnd.hp-HPGL"))
    return tuple(documents)


def _plates_of(shop: Shop, printed: Sequence[Printed], run: Run) -> Mapping[str, bytes]:
    plate = printed[0].plate
    if plate.summary.plan.lies:
        return bed_files(shop, shop.database.within(lambda session: width_of(session, run)), printed)
    return {name: shop.blobs.read(sha) for name, sha in plate_files(plate).items()}


def _own_cut(shop: Shop, plate: Plate, run: Run) -> bytes:
    """The cut of a frame as printed, with the tool cards of the printer's own knife. Where the sheet lies is known to
    the machine itself, which printed it or reads its marks; what is left of a miss its offset cards found. Raises
    JobError."""

    def asked(session: Session) -> tuple[dict[Kind, ToolCard], Points]:
        knife = knife_of(session, run.document.printer_id)
        if knife is None:
            raise JobError("This printer has no knife of its own.", run.document.name, "Choose another way in Print.")
        return cards_for(session, knife.id, run.document), offset_of(knife, at_once=run.document.way == "both")

    tools, offset = shop.database.within(asked)
    profile = PROFILES["knife"]
    media = Media(plate.summary.plan.width_mm)
    lines = lines_on_sheet(shop, plate).lines
    ranks = cut_files.ranks_of(shop, plate, lines)
    motion = plan_motion(lines, profile, tools, carry=lambda points: points + offset, media=media, ranks=ranks)
    return hpgl(motion, profile, tools).encode()
