"""The side of a printer that IPP sees (RFC 8011, PWG 5100.12): what it is, what lies on it, its jobs."""

import re
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from standins import ipp_message as ipp
from standins.ipp_message import Attribute, Group, Malformed, Message, of
from standins.wire import beside, on_free_port

OK, BAD, NOT_POSSIBLE, NOT_FOUND = 0x0000, 0x0400, 0x0404, 0x0406
FORMAT, SCHEME, UNKNOWN_OPERATION, VERSION = 0x040A, 0x040C, 0x0501, 0x0503
PENDING, PROCESSING, STOPPED, CANCELLED, ABORTED, COMPLETED = 3, 5, 6, 7, 8, 9
PDF, HPGL = "application/pdf", "application/vnd.hp-HPGL"
FORMATS = (PDF, HPGL, "application/octet-stream")
OPERATIONS = (0x02, 0x04, 0x05, 0x06, 0x08, 0x09, 0x0A, 0x0B, 0x3B, 0x3C)
SPOKEN = {"attributes-charset": of(ipp.CHARSET, "utf-8"), "attributes-natural-language": of(ipp.LANGUAGE, "en")}
MOST_BYTES = 1 << 30
MOST_JOBS = 200
RESOLUTION_DPI = 3
GROUPS = ("-description", "-template")
"""How the names of whole groups of attributes end."""


@dataclass
class Job:
    """One job. `documents`: name, format and content of each; `closed` when its last one has come."""

    id: int
    name: str
    user: str
    sever: bool = False
    uuid: str = field(default_factory=lambda: uuid.uuid4().urn)
    state: int = PENDING
    reasons: tuple[str, ...] = ("job-data-insufficient",)
    message: str = ""
    percent: int = 0
    documents: list[tuple[str, str, bytes]] = field(default_factory=list)
    closed: bool = False
    created: float = field(default_factory=time.time)
    begun: float | None = None
    ended: float | None = None

    @property
    def is_over(self) -> bool:
        return self.state >= CANCELLED

    def close(self) -> None:
        self.closed, self.reasons = True, ("none",)

    def end(self, state: int, reason: str, message: str = "") -> None:
        self.state, self.reasons, self.message, self.ended = state, (reason,), message, time.time()


CAPABILITIES: Group = {
    "charset-configured": of(ipp.CHARSET, "utf-8"),
    "charset-supported": of(ipp.CHARSET, "utf-8"),
    "color-supported": of(ipp.BOOLEAN, True),
    "compression-supported": of(ipp.KEYWORD, "none"),
    "copies-default": of(ipp.INTEGER, 1),
    "copies-supported": of(ipp.RANGE, (1, 1)),
    "document-format-default": of(ipp.MIME, PDF),
    "document-format-supported": of(ipp.MIME, *FORMATS),
    "finishings-default": of(ipp.ENUM, 3),
    "finishings-supported": of(ipp.ENUM, 3, 63),
    "generated-natural-language-supported": of(ipp.LANGUAGE, "en"),
    "ipp-versions-supported": of(ipp.KEYWORD, "1.1", "2.0"),
    "multiple-document-handling-supported": of(ipp.KEYWORD, "single-document"),
    "multiple-document-jobs-supported": of(ipp.BOOLEAN, True),
    "natural-language-configured": of(ipp.LANGUAGE, "en"),
    "operations-supported": of(ipp.ENUM, *OPERATIONS),
    "orientation-requested-default": of(ipp.ENUM, 3),
    "orientation-requested-supported": of(ipp.ENUM, 3),
    "output-bin-default": of(ipp.KEYWORD, "face-up"),
    "output-bin-supported": of(ipp.KEYWORD, "face-up"),
    "pages-per-minute": of(ipp.INTEGER, 1),
    "pages-per-minute-color": of(ipp.INTEGER, 1),
    "pdl-override-supported": of(ipp.KEYWORD, "not-attempted"),
    "print-quality-default": of(ipp.ENUM, 4),
    "print-quality-supported": of(ipp.ENUM, 4),
    "printer-is-accepting-jobs": of(ipp.BOOLEAN, True),
    "printer-location": of(ipp.TEXT, "the simulated room"),
    "printer-resolution-default": of(ipp.RESOLUTION, (150, 150, RESOLUTION_DPI)),
    "printer-resolution-supported": of(ipp.RESOLUTION, (150, 150, RESOLUTION_DPI)),
    "sides-default": of(ipp.KEYWORD, "one-sided"),
    "sides-supported": of(ipp.KEYWORD, "one-sided"),
    "uri-authentication-supported": of(ipp.KEYWORD, "none"),
    "uri-security-supported": of(ipp.KEYWORD, "none"),
}
"""What the printer says of itself that never changes."""


class IppJobs:
    """The queue of a printer, and the answers to what is asked of it. `about` gives what changes: the state, its
    reasons, and (name, width mm, length mm) of the roll that lies there."""

    def __init__(self, model: str, about: Callable[[], tuple[int, tuple[str, ...], tuple[str, float, float]]]) -> None:
        self.model, self._about = model, about
        self.uuid = uuid.uuid5(uuid.NAMESPACE_URL, model).urn
        self.jobs: dict[int, Job] = {}
        self.uri = ""
        self.changed = threading.Condition()
        self._started = time.time()

    def forget(self) -> None:
        """The list of jobs is cleared at the panel."""
        with self.changed:
            self.jobs.clear()

    def next_job(self, seconds: float) -> Job | None:
        """The oldest job that is complete and waits."""
        with self.changed:
            self.changed.wait_for(lambda: any(self._waits(job) for job in self.jobs.values()), seconds)
            return next((job for job in self.jobs.values() if self._waits(job)), None)

    @staticmethod
    def _waits(job: Job) -> bool:
        return job.closed and job.state == PENDING

    def answer(self, asked: Message) -> Message:
        version = asked.version if asked.version[0] in (1, 2) else (2, 0)
        said = Message(version, OK, asked.request_id, [(ipp.OPERATION, dict(SPOKEN))])
        with self.changed:
            said.code = self._refusal(asked) or self._done(asked, said)
            self.changed.notify_all()
        return said

    def _refusal(self, asked: Message) -> int:
        if asked.version[0] not in (1, 2):
            return VERSION
        operation = asked.group(ipp.OPERATION)
        if asked.request_id < 1 or not asked.groups or asked.groups[0][0] != ipp.OPERATION:
            return BAD
        if list(operation)[:2] != ["attributes-charset", "attributes-natural-language"]:
            return BAD
        if "printer-uri" not in operation and "job-uri" not in operation:
            return BAD
        return OK if asked.code in OPERATIONS else UNKNOWN_OPERATION

    def _done(self, asked: Message, said: Message) -> int:
        operation = asked.group(ipp.OPERATION)
        if asked.code == 0x0B:
            said.groups.append((ipp.PRINTER, _wanted(self._printer(), operation)))
            return OK
        if asked.code == 0x0A:
            return self._list(operation, said)
        if asked.code in (0x02, 0x04, 0x05):
            return self._new(asked, said)
        if asked.code == 0x3C:
            return OK
        job = self._job_of(operation)
        if job is None:
            return NOT_FOUND
        if asked.code == 0x06:
            return self._document(job, asked, said)
        if asked.code == 0x08:
            if job.is_over:
                return NOT_POSSIBLE
            if job.state == PENDING:
                job.end(CANCELLED, "job-canceled-by-user")
            else:
                job.reasons = ("processing-to-stop-point", "job-canceled-by-user")
            return OK
        if asked.code == 0x3B:
            job.close()
        said.groups.append((ipp.JOB, _wanted(self._attributes(job), operation)))
        return OK

    def _new(self, asked: Message, said: Message) -> int:
        operation, template = asked.group(ipp.OPERATION), asked.group(ipp.JOB)
        form = str(operation.get("document-format", of(ipp.MIME, PDF)).first)
        if asked.code != 0x05 and form not in FORMATS:
            return FORMAT
        if asked.code == 0x04:
            return OK
        name = str(operation.get("job-name", of(ipp.NAME, "Untitled")).first)
        user = str(operation.get("requesting-user-name", of(ipp.NAME, "anonymous")).first)
        severs = 63 in template.get("finishings", of(ipp.ENUM, 3)).values
        job = Job(max(self.jobs, default=0) + 1, name, user, severs)
        if asked.code == 0x02:
            job.documents.append(("colour", form, asked.document))
            job.close()
        self.jobs[job.id] = job
        for old in [one for one in self.jobs.values() if one.is_over][: max(0, len(self.jobs) - MOST_JOBS)]:
            del self.jobs[old.id]
        said.groups.append((ipp.JOB, self._attributes(job)))
        return OK

    def _document(self, job: Job, asked: Message, said: Message) -> int:
        operation = asked.group(ipp.OPERATION)
        last = operation.get("last-document")
        if last is None:
            return BAD
        if job.closed or job.is_over:
            return NOT_POSSIBLE
        form = str(operation.get("document-format", of(ipp.MIME, PDF)).first)
        if form not in FORMATS:
            return FORMAT
        if asked.document:
            name = str(operation.get("document-name", of(ipp.NAME, "colour")).first)
            job.documents.append((name, form, asked.document))
        if last.first:
            job.close()
        said.groups.append((ipp.JOB, self._attributes(job)))
        return OK

    def _list(self, operation: Group, said: Message) -> int:
        which = operation.get("which-jobs", of(ipp.KEYWORD, "not-completed")).first
        mine = operation.get("my-jobs", of(ipp.BOOLEAN, False)).first
        user = str(operation.get("requesting-user-name", of(ipp.NAME, "anonymous")).first)
        limit = operation.get("limit", of(ipp.INTEGER, MOST_JOBS)).first
        listed = [
            job
            for job in self.jobs.values()
            if job.is_over == (which == "completed") and (not mine or job.user == user)
        ]
        few = {"requested-attributes": of(ipp.KEYWORD, "job-id", "job-uri"), **operation}
        for job in listed[-limit:]:
            said.groups.append((ipp.JOB, _wanted(self._attributes(job), few)))
        return OK

    def _job_of(self, operation: Group) -> Job | None:
        number = operation.get("job-id", of(ipp.INTEGER, 0)).first
        if "job-uri" in operation:
            found = re.search(r"/jobs/(\d+)$", str(operation["job-uri"].first))
            number = int(found[1]) if found else 0
        return self.jobs.get(int(number or 0))

    def _attributes(self, job: Job) -> Group:
        up = int(time.time() - self._started) + 1

        def moment(at: float | None) -> Attribute:
            return of(ipp.NO_VALUE, b"") if at is None else of(ipp.INTEGER, max(1, up - int(time.time() - at)))

        return {
            "job-id": of(ipp.INTEGER, job.id),
            "job-uri": of(ipp.URI, f"{self.uri}/jobs/{job.id}"),
            "job-uuid": of(ipp.URI, job.uuid),
            "job-printer-uri": of(ipp.URI, self.uri),
            "job-name": of(ipp.NAME, job.name),
            "job-originating-user-name": of(ipp.NAME, job.user),
            "job-state": of(ipp.ENUM, job.state),
            "job-state-reasons": of(ipp.KEYWORD, *job.reasons),
            "job-state-message": of(ipp.TEXT, job.message),
            "job-impressions": of(ipp.INTEGER, 1),
            "job-impressions-completed": of(ipp.INTEGER, int(job.state == COMPLETED)),
            "job-media-progress": of(ipp.INTEGER, job.percent),
            "job-k-octets": of(ipp.INTEGER, -(-sum(len(content) for *_, content in job.documents) // 1024)),
            "number-of-documents": of(ipp.INTEGER, len(job.documents)),
            "job-printer-up-time": of(ipp.INTEGER, up),
            "time-at-creation": moment(job.created),
            "time-at-processing": moment(job.begun),
            "time-at-completed": moment(job.ended),
        }

    def _printer(self) -> Group:
        state, reasons, (name, width, length) = self._about()
        slug = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "none"
        size_name = f"roll_{slug}_{width:.0f}x{max(1, int(length))}mm"
        size = {
            "x-dimension": of(ipp.INTEGER, round(width * 100)),
            "y-dimension": of(ipp.INTEGER, max(1, int(length * 100))),
        }
        column = {
            "media-size": of(ipp.BEGIN, size),
            "media-size-name": of(ipp.KEYWORD, size_name),
            "media-info": of(ipp.TEXT, name),
        }
        waiting = sum(not job.is_over for job in self.jobs.values())
        return {
            **CAPABILITIES,
            "media-col-ready": of(ipp.BEGIN, column),
            "media-default": of(ipp.KEYWORD, size_name),
            "media-ready": of(ipp.KEYWORD, size_name),
            "media-supported": of(ipp.KEYWORD, size_name),
            "printer-info": of(ipp.TEXT, self.model),
            "printer-make-and-model": of(ipp.TEXT, self.model),
            "printer-more-info": of(ipp.URI, self.uri.replace("ipp://", "http://", 1)),
            "printer-name": of(ipp.NAME, self.model),
            "printer-state": of(ipp.ENUM, state),
            "printer-state-reasons": of(ipp.KEYWORD, *(reasons or ("none",))),
            "printer-up-time": of(ipp.INTEGER, int(time.time() - self._started) + 1),
            "printer-uri-supported": of(ipp.URI, self.uri),
            "printer-uuid": of(ipp.URI, self.uuid),
            "queued-job-count": of(ipp.INTEGER, waiting),
        }


def _wanted(attributes: Group, operation: Group) -> Group:
    wanted = operation.get("requested-attributes")
    if wanted is None or any(one == "all" or str(one).endswith(GROUPS) for one in wanted.values):
        return attributes
    return {name: value for name, value in attributes.items() if name in wanted.values}


def serve_ipp(jobs: IppJobs, first_port: int) -> int:
    """Answer on 127.0.0.1 beside the caller, on the first free port; returns it."""

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"
        disable_nagle_algorithm = True
        timeout = 60

        def do_POST(self) -> None:
            # a web page's request is no IPP, whatever it holds
            if self.headers.get("Content-Type") != "application/ipp" or self.headers.get("Origin"):
                self.send_error(415)
                return
            try:
                data = self._body()
                said = jobs.answer(ipp.read(data))
            except Malformed:
                said = Message((2, 0), BAD, 1, [(ipp.OPERATION, dict(SPOKEN))])
            content = ipp.written(said)
            self.send_response(200)
            self.send_header("Content-Type", "application/ipp")
            self.send_header("Content-Length", str(len(content)))
            self.end_headers()
            self.wfile.write(content)

        def _body(self) -> bytes:
            if "chunked" in self.headers.get("Transfer-Encoding", ""):
                parts, total = [], 0
                while (size := int(self.rfile.readline(40).split(b";")[0] or b"0", 16)) > 0:
                    total += size
                    if total > MOST_BYTES:
                        raise Malformed("it is too long")
                    parts.append(self.rfile.read(size))
                    self.rfile.readline(40)
                self.rfile.readline(40)
                return b"".join(parts)
            length = int(self.headers.get("Content-Length", "0"))
            if length > MOST_BYTES:
                raise Malformed("it is too long")
            return self.rfile.read(length)

        def log_message(self, *_: Any) -> None:
            pass

    server = on_free_port(ThreadingHTTPServer, Handler, first_port)
    jobs.uri = f"ipp://127.0.0.1:{server.server_port}/ipp/print"
    return beside(server)
