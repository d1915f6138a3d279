"""A printer with an open folder: a job is files renamed into it, the ticket last. Whoever prints them takes them away;
nothing comes back but that the ticket is gone."""

import os
from pathlib import Path

from etiquette.core.errors import JobError
from etiquette.devices.contracts import Identity, Loaded, PrintJob, Progress, Status, Unreachable
from etiquette.devices.open_directory import drop_job

ENDINGS = {"application/pdf": ".pdf", "application/vnd.hp-HPGL": ".plt"}


class FolderPrinter:
    """Driver (contracts.Printer)."""

    def __init__(self, name: str, folder: Path) -> None:
        self._name, self._folder = name, folder

    def identity(self) -> Identity:
        self._there()
        return Identity("printer", model="folder", id=str(self._folder), understands=("application/pdf",))

    def status(self) -> Status:
        self._there()
        return Status("unknown")

    def loaded(self) -> tuple[Loaded, ...]:
        return ()

    def send(self, job: PrintJob) -> None:
        self._there()
        files = {f".{one.name}{ENDINGS.get(one.format, '')}": one.content for one in job.documents}
        ticket = {
            "title": job.title,
            "files": [f"{job.key}{suffix}" for suffix in files],
            "media": job.media,
            "mode": job.mode,
            **({"modes": modes} if (modes := {one.name: one.mode for one in job.documents if one.mode}) else {}),
            "profile": job.profile,
            "intent": job.intent,
            "sever": job.sever,
        }
        drop_job(self._folder, job.key, files, ticket)

    def progress(self, key: str) -> Progress:
        self._there()
        if (self._folder / f"{key}.json").exists():
            return Progress("waiting")
        return Progress("unknown")  # it was taken: what became of it only hands can say

    def cancel(self, key: str) -> None:
        self._there()
        for file in sorted(self._folder.glob(f"{key}.*"), key=lambda one: one.suffix != ".json"):  # the ticket first
            file.unlink(missing_ok=True)

    def _there(self) -> None:
        if not self._folder.is_dir():
            raise Unreachable(
                f"The folder of {self._name} is not there.",
                str(self._folder),
                "Make it, or connect its share.",
            )
        if not os.access(self._folder, os.W_OK | os.X_OK):
            raise JobError(
                f"Etiquette may not write into the folder of {self._name}.",
                str(self._folder),
                "Give it the right to write there.",
            )
