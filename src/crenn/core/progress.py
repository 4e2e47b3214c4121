"""How long work tells how far it is, and learns that it should stop."""

import threading
import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from queue import SimpleQueue
from typing import TypeVar

from crenn.core.errors import Cancelled

#: Called with a share 0–1 and a short text; returns False to cancel.
Report = Callable[[float, str], bool]
T = TypeVar("T")


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


def side_by_side(
    work: Callable[[T, Progress], None],
    items: Sequence[T],
    shares: Sequence[float],
    progress: Progress,
    text: str,
    at_once: int,
) -> None:
    """Work on items in threads, some at once; what is told is the sum of what is done of each.

    Parameters
    ----------
    work : callable
        Of an item, and progress of its own.
    items : sequence
    shares : sequence of float
        Of the items in the whole, in 0–1.
    progress : Progress
        Is told from the calling thread alone. Where it cancels, or work raises, all work is stopped at the next step
        that it tells, and that is raised.
    text : str
    at_once : int
    """
    done, stop = [0.0] * len(items), threading.Event()
    # Of an item, what is done of it; None once its work has ended.
    news: SimpleQueue[tuple[int, float | None]] = SimpleQueue()

    def one(number: int) -> None:
        def report(share: float, _: str) -> bool:
            news.put((number, share))
            return not stop.is_set()

        within = Progress(report)
        within.at(0.0, text)
        work(items[number], within)

    with ThreadPoolExecutor(at_once) as pool:
        running = [pool.submit(one, number) for number in range(len(items))]
        for number, future in enumerate(running):
            future.add_done_callback(partial(lambda ended, _: news.put((ended, None)), number))
        left = len(items)
        try:
            while left:
                number, share = news.get()
                if share is None:
                    running[number].result()
                    left -= 1
                done[number] = 1.0 if share is None else share
                progress.at(sum(s * d for s, d in zip(shares, done)), text)
        finally:
            stop.set()
