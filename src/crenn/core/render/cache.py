"""What has been made, by what it was made from.

A key is the digest of a scope, a name and everything that the maker is given: the maker is called with just that, so
that it can read nothing that the key does not tell.

When room is short, what was cheapest to make for its size goes first, and what has not been asked for longest among
what is alike: Greedy-Dual-Size with time as the cost (Cao and Irani 1997, "Cost-aware WWW proxy caching algorithms").
"""

import hashlib
import heapq
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, fields, is_dataclass
from typing import Any, Protocol, TypeVar

import numpy as np
from pydantic import BaseModel

from crenn.core.progress import Progress, Report

T = TypeVar("T")
#: Bytes that an entry takes besides its arrays.
_BESIDES = 1024


class Scope(Protocol):
    """Whatever something is made of: a source, or a view of it.

    Attributes
    ----------
    key : hashable
        What tells it from others.
    passing : bool
        Whether what is made of it is too small to be worth its place.
    """

    @property
    def key(self) -> Any: ...

    @property
    def passing(self) -> bool: ...


def digest_of(*values: Any) -> bytes:
    """A digest of values: numbers, texts, arrays, documents, sequences and data
    classes of such, and what has a ``key``.

    Raises
    ------
    TypeError
        If a value is none of these: what cannot be told apart cannot be kept.
    """
    found = hashlib.blake2b(digest_size=16)
    for value in values:
        _tell(value, found.update)
    return found.digest()


def _tell(value: Any, add: Callable[[bytes], None]) -> None:
    if value is None or isinstance(value, bool | int | float | str | np.generic):
        add(f"{type(value).__name__} {value!r};".encode())
    elif isinstance(value, bytes):
        add(b"bytes %d " % len(value) + value)
    elif isinstance(value, np.ndarray):
        add(f"array {value.dtype} {value.shape} ".encode() + value.tobytes())
    elif isinstance(value, tuple | list):
        add(b"(%d " % len(value))
        for one in value:
            _tell(one, add)
    elif hasattr(value, "key"):
        add(type(value).__name__.encode())
        _tell(value.key, add)
    elif isinstance(value, BaseModel):
        add(value.model_dump_json().encode())
    elif is_dataclass(value) and not isinstance(value, type):
        add(type(value).__name__.encode())
        _tell(tuple(getattr(value, f.name) for f in fields(value) if f.compare), add)
    else:
        raise TypeError(f"nothing tells {type(value).__name__} from others")


def _bytes_of(value: Any) -> int:
    return int(getattr(value, "nbytes", 0)) + _BESIDES


class Stopped(Exception):
    """Nobody waits any more for what was being made, or others wait for their turn. What was made by then is kept."""


@dataclass
class _Entry:
    value: Any
    size: int
    #: Seconds that it took to make, per byte.
    worth: float
    #: Its place in the queue of those that go: the number of the place that counts.
    place: int = 0


class Cache:
    """Results up to a number of bytes; each key has one maker at a time.

    Parameters
    ----------
    most_bytes : int
    clock : callable
        Seconds that go by.
    """

    def __init__(self, most_bytes: int, clock: Callable[[], float] = time.perf_counter):
        self.most_bytes, self._clock = most_bytes, clock
        self.bytes = 0
        self._kept: dict[bytes, _Entry] = {}
        self._queue: list[tuple[float, int, bytes]] = []
        self._floor, self._count = 0.0, 0
        self._making: set[bytes] = set()
        self._changed = threading.Condition()
        self._of_thread = threading.local()

    def get(self, scope: Scope, name: str, given: tuple, make: Callable[..., T]) -> T:
        """What ``make(*given)`` makes of a scope, kept under a name.

        What is larger than all room is not kept, nor what is made of a scope that is passing.
        """
        if (stop := getattr(self._of_thread, "stop", None)) is not None and stop():
            raise Stopped
        if scope.passing:
            return make(*given)
        key = digest_of(scope.key, name, given)
        with self._changed:
            while key in self._making:
                self._changed.wait()
            if (entry := self._kept.get(key)) is not None:
                self._stand(key, entry)
                self._touch(key, entry.size)
                return entry.value
            self._making.add(key)
        try:
            value, seconds = self._timed(lambda: make(*given))
            with self._changed:
                self._keep(key, value, seconds)
        finally:
            with self._changed:
                self._making.discard(key)
                self._changed.notify_all()
        return value

    @contextmanager
    def counting(self) -> Iterator[dict[bytes, int]]:
        """Within, what this thread asks for is noted: bytes by key."""
        before = getattr(self._of_thread, "touched", None)
        touched: dict[bytes, int] = {}
        self._of_thread.touched = touched
        try:
            yield touched
        finally:
            self._of_thread.touched = before

    @contextmanager
    def stoppable(self, stop: Callable[[], bool], report: Report | None = None) -> Iterator[None]:
        """Within, `Stopped` is raised in this thread before the next thing is made once ``stop()`` says so.

        ``report`` is told how far things are that take long; what is under way ends if it raises `Stopped`.
        """
        self._of_thread.stop, self._of_thread.report = stop, report
        try:
            yield
        finally:
            self._of_thread.stop = self._of_thread.report = None

    @property
    def progress(self) -> Progress:
        """Where makers of this thread tell how far they are."""
        return Progress(getattr(self._of_thread, "report", None))

    def forget(self) -> None:
        """Let go of everything."""
        with self._changed:
            self._kept.clear()
            self._queue.clear()
            self.bytes = 0

    def _touch(self, key: bytes, size: int) -> None:
        touched = getattr(self._of_thread, "touched", None)
        if touched is not None:
            touched[key] = size

    def _timed(self, make: Callable[[], T]) -> tuple[T, float]:
        """A result, and the seconds that went into it alone: what it asked for meanwhile is kept by itself."""
        outer = getattr(self._of_thread, "within", 0.0)
        self._of_thread.within = 0.0
        began = self._clock()
        try:
            value = make()
        finally:
            took = self._clock() - began
            own, self._of_thread.within = took - self._of_thread.within, outer + took
        return value, max(own, 0.0)

    def _stand(self, key: bytes, entry: _Entry) -> None:
        """Put an entry that is asked for in its place in the queue."""
        self._count += 1
        entry.place = self._count
        heapq.heappush(self._queue, (self._floor + entry.worth, entry.place, key))
        if len(self._queue) > 8 * len(self._kept) + 64:
            # Places that entries have left behind.
            self._queue = [(rank, n, k) for rank, n, k in self._queue if self._is_place(n, k)]
            heapq.heapify(self._queue)

    def _is_place(self, number: int, key: bytes) -> bool:
        return key in self._kept and self._kept[key].place == number

    def _keep(self, key: bytes, value: Any, seconds: float) -> None:
        size = _bytes_of(value)
        self._touch(key, size)
        if size > self.most_bytes:
            return
        while self.bytes + size > self.most_bytes:
            rank, number, gone = heapq.heappop(self._queue)
            if self._is_place(number, gone):
                self.bytes -= self._kept.pop(gone).size
                self._floor = max(self._floor, rank)
        self._kept[key] = entry = _Entry(value, size, seconds / size)
        self.bytes += size
        self._stand(key, entry)
