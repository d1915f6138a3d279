"""What goes wrong in the job, as a sentence for the person at the bench."""


class JobError(Exception):
    """The job cannot be done as asked. `what` happened, `where`, and what to `do` about it."""

    def __init__(self, what: str, where: str, do: str) -> None:
        super().__init__(f"{what} {do}")
        self.what = what
        self.where = where
        self.do = do


class NotThere(JobError):
    """What was asked for does not exist."""


class DiskFull(JobError):
    """There is no room for a file; nothing was kept of it."""

    def __init__(self) -> None:
        super().__init__("The disk is full; nothing was kept.", "disk", "Free some space and try again.")
