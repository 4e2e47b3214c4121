"""How long work tells how far it is, and learns that it should stop."""

import time
from collections.abc import Callable

from crenn.core.errors import Cancelled

#: Called with a share 0–1 and a short text; returns False to cancel.
Report = Callable[[float, str], bool]


class Progress:
    """Progress through named, weighted stages.

    Parameters
    ----------
    report : callable or None
        Receives (share 0–1, text); returning False cancels.
    """

    def __init__(self, report: Report | None = None, start: float = 0.0, span: float = 1.0):
        self._report, self._start, self._span = report, start, span
        self.began = time.monotonic()

    def at(self, share: float, text: str) -> None:
        """Tell the share done; raises `Cancelled` if the work should stop."""
        if self._report is not None and self._report(self._start + self._span * share, text) is False:
            raise Cancelled(text)

    def part(self, start: float, end: float) -> "Progress":
        """Progress of a part that runs from one share of the whole to another."""
        return Progress(self._report, self._start + self._span * start, self._span * (end - start))
