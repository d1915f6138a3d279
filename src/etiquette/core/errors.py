"""What goes wrong in the job, as a sentence for the person at the bench."""

import errno
import os


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


class DiskUnusable(JobError):
    """The disk takes no files for another reason; nothing was kept."""

    def __init__(self, why: str) -> None:
        what = f"The disk cannot be written: {why.lower()}; nothing was kept."
        super().__init__(what, "disk", "Look at the disk that Etiquette keeps its files on, then try again.")


def of_disk(error: OSError) -> JobError | None:
    """What an error of the system says of the disk; None: nothing."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return DiskFull()
    if error.errno in (errno.EROFS, errno.EIO, errno.EACCES, errno.EPERM):
        return DiskUnusable(os.strerror(error.errno))
    return None
