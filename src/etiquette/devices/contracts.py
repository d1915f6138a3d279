"""What Etiquette needs of a machine, whatever it speaks: small protocols, and the plain values that go through them.

A driver is one file; the scheme of an address chooses it (drivers.py). Drivers raise the errors below, each with a
sentence; whatever they read has an upper size and a deadline for the whole of it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

from etiquette.core.aligning.windows import Window
from etiquette.core.cutting.instructions import Instruction
from etiquette.core.errors import JobError

MachineKind = Literal["printer", "cutter", "eye"]
JobState = Literal["waiting", "printing", "stopped", "done", "failed", "cancelled", "unknown"]
"""How a job stands at its printer; stopped: it goes on when its reasons are gone; unknown: it is not there."""
ENDED: frozenset[JobState] = frozenset(("done", "failed", "cancelled"))


class Unreachable(JobError):
    """Nobody answers at the address: nothing was asked and nothing has moved."""


class LineBroken(JobError):
    """The machine closed the line or went silent: what it did last is not known."""


class Interrupted(LineBroken):
    """A program was not followed to its end: so many instructions were answered, so many sent. `lost`: the line broke,
    so that the machine may have followed more; else it has said itself why it stands."""

    def __init__(self, cause: JobError, answered: int, sent: int) -> None:
        super().__init__(cause.what, cause.where, cause.do)
        self.answered, self.sent, self.lost = answered, sent, isinstance(cause, LineBroken)


class Unclear(JobError):
    """What was answered cannot be understood: perhaps another machine is at the address."""


@dataclass(frozen=True)
class Identity:
    """Who answers. `id` names the machine for good where it has such a name; `understands`: what of its protocol it
    can do, in the protocol's own words; `certificate`: the SHA-256 of the one it showed, empty on an open line."""

    kind: MachineKind
    make: str = ""
    model: str = ""
    id: str = ""
    understands: tuple[str, ...] = ()
    certificate: str = ""


@dataclass(frozen=True)
class Loaded:
    """A stock that lies on a printer: the printer's `name` for it, the `key` it is sent by, mm where it knows."""

    name: str
    key: str = ""
    width_mm: float | None = None
    length_mm: float | None = None


@dataclass(frozen=True)
class Status:
    """`reasons`: the protocol's own words, like media-empty-error."""

    state: Literal["ready", "busy", "stopped", "unknown"]
    reasons: tuple[str, ...] = ()
    message: str = ""
    """What it says of itself in words of its own, beyond the state."""


@dataclass(frozen=True)
class Document:
    """One file of a job: `format` is its media type; `mode` a print mode of its own, empty: that of the job."""

    name: str
    content: bytes
    format: str = "application/pdf"
    mode: str = ""


@dataclass(frozen=True)
class PrintJob:
    """What is handed to a printer. `key` finds it again, whatever number the printer gives it; `media`: the key of the
    stock it is for, empty: whatever lies there; `mode`, `profile`, `intent`: how its colours are meant, in the words of
    the Shelf, empty where nobody said."""

    key: str
    title: str
    documents: tuple[Document, ...]
    media: str = ""
    sever: bool = False
    mode: str = ""
    profile: str = ""
    intent: str = ""


@dataclass(frozen=True)
class Progress:
    """How a job stands. `share`: what of it is printed, None where the printer does not tell."""

    state: JobState
    share: float | None = None
    reasons: tuple[str, ...] = ()
    job: str = ""
    """What the printer calls it."""
    message: str = ""
    """What it says of the job in words of its own."""
    of_printer: str = ""
    """What it says of itself meanwhile, likewise: a queue, that the printer behind it does not answer."""


@dataclass(frozen=True)
class Position:
    """Where a head stands, in mm of its machine."""

    x: float
    y: float


class Printer(Protocol):
    """Raises Unreachable, LineBroken, Unclear, and JobError for what the machine refuses."""

    def identity(self) -> Identity:
        """Who it is; nothing is printed."""
        ...

    def status(self) -> Status:
        """Whether it is idle, at work or stopped, and why."""
        ...

    def loaded(self) -> tuple[Loaded, ...]:
        """What lies on it, as it says itself; empty when it does not say."""
        ...

    def send(self, job: PrintJob) -> None:
        """Hand a job over. The machine may have it although this raises LineBroken: then it is asked."""
        ...

    def progress(self, key: str) -> Progress:
        """How the job that was sent under `key` stands; unknown to a machine that has forgotten it or cannot say."""
        ...

    def cancel(self, key: str) -> None:
        """Call off the job under `key`; what is printed of it stays printed."""
        ...


GoesOn = Callable[[int, float], bool]
"""Asked before more is sent, with the number of the next instruction and the seconds that are under way."""


class Cutter(Protocol):
    """A machine that follows strokes; a context manager that holds its line."""

    def __enter__(self) -> "Cutter": ...
    def __exit__(self, *_: object) -> None: ...
    def identity(self) -> Identity:
        """Who it is; nothing moves."""
        ...

    def status(self) -> Status:
        """Whether it is ready, and what is wrong with it."""
        ...

    def position(self) -> Position:
        """Where the head stands."""
        ...

    def settled(self) -> Position:
        """Where the head stands after a line has broken, when nothing is left in the machine that it will follow."""
        ...

    def refuse_other_scale(self) -> None:
        """Raises JobError when the machine says that it counts in other steps than it is told in."""
        ...

    def run(self, program: Sequence[Instruction], goes_on: GoesOn) -> int:
        """Send `program`, at most two seconds of motion ahead of the last answer, for as long as `goes_on` says; how
        many of its instructions the machine has followed for certain. Raises Interrupted."""
        ...

    def lead(self, x: float, y: float) -> None:
        """Bring the head to a place, tool lifted, and return when it stands there."""
        ...


class Eye(Protocol):
    """A camera: what it sees of where it stands, or, when it can be pointed, of a place."""

    def identity(self) -> Identity:
        """Who it is."""
        ...

    def look(self, at: tuple[float, float] | None = None) -> Window:
        """What it sees where it stands, or of the place `at` (mm of its machine) when it can be pointed. Raises
        Unreachable, JobError."""
        ...
