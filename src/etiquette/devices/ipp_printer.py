"""A printer that speaks IPP (RFC 8011; IPP/2.0: PWG 5100.12). A job is found again by our key, the first word of its
name, never by its number alone: a printer that was switched off numbers anew."""

import re
from collections.abc import Mapping
from typing import Any

from pyipp.enums import IppOperation

from etiquette.core.errors import JobError
from etiquette.devices.contracts import Identity, JobState, Loaded, PrintJob, Progress, Status
from etiquette.devices.ipp_message import GONE, NOT_FOUND, NOT_POSSIBLE, IppLine, Refused
from etiquette.devices.reasons import stops

ABOUT = (
    "printer-make-and-model",
    "printer-uuid",
    "printer-info",
    "printer-state",
    "printer-state-reasons",
    "printer-state-message",
    "printer-is-accepting-jobs",
    "operations-supported",
    "document-format-supported",
    "multiple-document-jobs-supported",
    "finishings-supported",
    "media-ready",
    "media-col-ready",
)
OF_JOB = (
    "job-id",
    "job-uuid",
    "job-name",
    "job-state",
    "job-state-reasons",
    "job-state-message",
    "job-impressions",
    "job-impressions-completed",
    "job-media-progress",
)
STATES: dict[int, JobState] = {
    3: "waiting", 4: "waiting", 5: "printing", 6: "stopped", 7: "cancelled", 8: "failed", 9: "done",
}  # fmt: skip
TRIM_AFTER_JOB = 63
"""The finishing that severs what was printed (PWG 5100.1)."""
NAMES = ("media-info", "media-type", "media-key")
"""What a printer calls a stock, the most readable first."""
SAYS_NO_MORE = re.compile(r"(idle|ready|printing|processing|busy|stopped)?\W*", re.IGNORECASE)
"""A message of a printer that only repeats its state."""
SIZE_IN_NAME = re.compile(r"_(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)(mm|in)$")
MM = {"mm": 1.0, "in": 25.4}


class IppPrinter:
    """Driver (contracts.Printer)."""

    def __init__(self, line: IppLine) -> None:
        self._line = line

    def identity(self) -> Identity:
        about = self._about()
        make, _, model = str(about.get("printer-make-and-model", "")).partition(" ")
        operations = [_name_of(IppOperation, one) for one in _listed(about, "operations-supported")]
        formats = [str(one) for one in _listed(about, "document-format-supported")]
        uuid, understands = str(about.get("printer-uuid", "")), (*operations, *formats)
        return Identity("printer", make, model, uuid, understands, self._line.pin)

    def status(self) -> Status:
        about = self._about()
        reasons = tuple(str(one) for one in _listed(about, "printer-state-reasons") if one != "none")
        state = {3: "ready", 4: "busy", 5: "stopped"}.get(_number(about.get("printer-state")) or 0, "unknown")
        if about.get("printer-is-accepting-jobs") is False:
            state = "stopped"
        message = str(about.get("printer-state-message") or "")[:300]
        return Status(state, reasons, "" if SAYS_NO_MORE.fullmatch(message) else message)  # type: ignore[arg-type]

    def loaded(self) -> tuple[Loaded, ...]:
        about = self._about()
        names = [str(one) for one in _listed(about, "media-ready")]
        columns = [one for one in _listed(about, "media-col-ready") if isinstance(one, dict)]
        if not columns:
            return tuple(Loaded(name, name, *_size_in(name)) for name in names)
        found = []
        for number, column in enumerate(columns):
            size = column.get("media-size")
            width, length = (
                _mm(size.get(f"{axis}-dimension")) if isinstance(size, dict) else None for axis in ("x", "y")
            )
            key = str(column.get("media-size-name") or (names[number] if number < len(names) else ""))
            words = next((str(column[one]) for one in NAMES if column.get(one)), key)
            found.append(Loaded(words, key, width, length))
        return tuple(found)

    def send(self, job: PrintJob) -> None:
        """Raises JobError before anything is sent when the printer cannot take the job as it is."""
        about = self._about()
        self._refuse_unfit(job, about)
        wanted: dict[str, Any] = {"media": job.media} if job.media in _listed(about, "media-ready") else {}
        if job.sever and TRIM_AFTER_JOB in map(_number, _listed(about, "finishings-supported")):
            wanted["finishings"] = TRIM_AFTER_JOB
        name = {"job-name": f"{job.key} {job.title}"[:250]}
        made = self._line.ask(IppOperation.CREATE_JOB, name, wanted)
        job_id = int(_first(made["jobs"]).get("job-id", 0))
        for number, document in enumerate(job.documents, 1):
            told = {
                "job-id": job_id,
                "document-name": document.name,
                "document-format": document.format,
                "last-document": number == len(job.documents),
            }
            self._line.ask(IppOperation.SEND_DOCUMENT, told, document=document.content)

    def progress(self, key: str) -> Progress:
        job = self._job(key)
        if job is None:
            return Progress("unknown")
        state = STATES.get(_number(job.get("job-state")) or 0, "unknown")
        reasons, of_itself = tuple(str(one) for one in _listed(job, "job-state-reasons") if one != "none"), ""
        if state in ("waiting", "printing", "stopped"):
            of_printer = self.status()
            reasons, of_itself = (*reasons, *of_printer.reasons), of_printer.message
            if of_printer.state == "stopped" or stops(of_printer.reasons):
                state = "stopped"
        name, message = job.get("job-uuid") or job.get("job-id") or "", job.get("job-state-message") or ""
        return Progress(state, _share(job, state), reasons, str(name), str(message)[:300], of_itself)

    def cancel(self, key: str) -> None:
        job = self._job(key)
        if job is None:
            return
        try:
            self._line.ask(IppOperation.CANCEL_JOB, {"job-id": int(job["job-id"])})
        except Refused as refused:
            if refused.code not in (NOT_POSSIBLE, NOT_FOUND, GONE):  # it has ended already: its state says how
                raise

    def _about(self) -> Mapping[str, Any]:
        answer = self._line.ask(IppOperation.GET_PRINTER_ATTRIBUTES, {"requested-attributes": list(ABOUT)})
        return _first(answer["printers"])

    def _job(self, key: str) -> Mapping[str, Any] | None:
        """The newest job whose name begins with the key."""
        found: list[Mapping[str, Any]] = []
        for which in ("not-completed", "completed"):
            try:
                answer = self._line.ask(
                    IppOperation.GET_JOBS, {"which-jobs": which, "requested-attributes": list(OF_JOB)}
                )
            except Refused as refused:
                if refused.code != NOT_FOUND:
                    raise
                continue
            found += [job for job in answer["jobs"] if str(job.get("job-name", "")).split(" ")[0] == key]
            if found:
                return max(found, key=lambda job: int(job.get("job-id", 0)))
        return None

    def _refuse_unfit(self, job: PrintJob, about: Mapping[str, Any]) -> None:
        formats = _listed(about, "document-format-supported")
        for document in job.documents:
            if formats and document.format not in formats:
                raise JobError(
                    f"{self._line.name} does not take {document.format}.",
                    self._line.name,
                    "Choose another printer, or let it print without its knife.",
                )
        if len(job.documents) > 1 and about.get("multiple-document-jobs-supported") is not True:
            raise JobError(
                f"{self._line.name} takes one file a job; this run has {len(job.documents)}.",
                self._line.name,
                "Choose “one file” for the plates in Print, then send it again.",
            )


def _first(groups: Any) -> Mapping[str, Any]:
    return groups[0] if isinstance(groups, list) and groups and isinstance(groups[0], dict) else {}


def _listed(attributes: Mapping[str, Any], name: str) -> list[Any]:
    value = attributes.get(name)
    return value if isinstance(value, list) else [] if value is None else [value]


def _number(value: Any) -> int | None:
    value = getattr(value, "value", value)
    return value if isinstance(value, int) and not isinstance(value, bool) else None


def _name_of(kind: Any, value: Any) -> str:
    number = _number(value)
    try:
        return str(kind(number).name).lower().replace("_", "-")
    except ValueError:
        return str(number)


def _mm(hundredths: Any) -> float | None:
    """A dimension in hundredths of a millimetre; of a range, which is a roll, the most."""
    if isinstance(hundredths, list):
        hundredths = max(hundredths, default=None)
    return hundredths / 100 if isinstance(hundredths, int) and hundredths > 0 else None


def _size_in(name: str) -> tuple[float | None, float | None]:
    """The size that a self-describing media name ends with (PWG 5101.1), in mm."""
    found = SIZE_IN_NAME.search(name)
    if not found:
        return None, None
    width, length = (float(one) * MM[found[3]] or None for one in found.groups()[:2])
    return width, length


def _share(job: Mapping[str, Any], state: JobState) -> float | None:
    if state == "done":
        return 1.0
    percent = _number(job.get("job-media-progress"))
    done, whole = _number(job.get("job-impressions-completed")), _number(job.get("job-impressions"))
    if percent is None and not whole:
        return None
    pages = max(whole or 1, 1)
    return min(1.0, ((done or 0) + (percent or 0) / 100 if (done or 0) < pages else pages) / pages)
