"""Faults a photographer can do something about."""

from pathlib import Path


class CrennError(Exception):
    """A fault in the input, told in one line: which file, what is wrong, what to do.

    Parameters
    ----------
    fault : str
        What happened.
    path : path-like or None
        The file concerned; its name leads the message.
    remedy : str
        What the user can do about it.
    """

    def __init__(self, fault: str, path=None, remedy: str = ""):
        self.fault, self.path, self.remedy = fault, path, remedy
        name = f"{Path(path).name}: " if path is not None else ""
        super().__init__(f"{name}{fault}" + (f" {remedy}" if remedy else ""))


class UnreadableFrame(CrennError):
    """A file that is no raw frame, or a broken one."""


class MismatchedFrames(CrennError):
    """Frames that cannot become one picture."""


class InvalidTreatment(CrennError):
    """A treatment document with an unknown or out-of-range value."""


class DiskFull(CrennError):
    """There is no room left for a file."""


class Missing(CrennError):
    """Something asked for that is not there, or no longer."""


class Cancelled(Exception):
    """The user cancelled the work."""
