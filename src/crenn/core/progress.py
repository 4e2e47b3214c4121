"""How long work tells how far it is, and learns that it should stop."""

import time
from collections.abc import Callable, Mapping

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


class Stages:
    """Progress through stages by what each is expected to cost; it never goes back when more is known of those to come.

    Parameters
    ----------
    progress : Progress
    costs : mapping of str to float
        Of each stage, in the order in which they come; only ratios matter. Stages may be left out.
    """

    def __init__(self, progress: Progress, costs: Mapping[str, float]):
        self._progress, self._costs = progress, dict(costs)
        self._begun: list[str] = []
        self._at = 0.0

    def expect(self, costs: Mapping[str, float]) -> None:
        """Correct what stages are expected to cost, or have cost."""
        self._costs |= costs

    def begin(self, name: str, text: str | None = None) -> Progress:
        """Progress of a stage, which is told of at once if there is a text; all before it are over."""
        names = list(self._costs)
        left = sum(self._costs[n] for n in names[names.index(name) :])
        done = sum(self._costs[n] for n in self._begun)
        start = max(self._at, done / max(done + left, 1e-9))
        self._at = start + (1 - start) * self._costs[name] / max(left, 1e-9)
        self._begun.append(name)
        part = self._progress.part(start, self._at)
        if text is not None:
            part.at(0.0, text)
        return part
