"""The renderers of the scenes that are looked at, and the threads that they work on."""

import os
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, TypeVar

import numba as nb

from crenn.core.render.cache import Cache
from crenn.core.render.renderer import Renderer
from crenn.core.threads import kernels_at_once
from crenn.store.library import Library

T = TypeVar("T")
#: Bytes that are kept of all scenes together: so much, or this share of the machine's memory if that is less. A picture
#: at rest with areas and noise, as the demo's are finished, wants 0.3 to 0.5 GB: two of them must find room.
_ROOM, _SHARE = 1536 * 2**20, 1 / 6


def room() -> int:
    """Bytes for what is kept of all scenes that are open."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return min(_ROOM, int(memory * _SHARE))


#: Scenes that are worked on at once at most: much of a small picture is Python's work, of which one runs at a time.
_AT_ONCE = 4


@dataclass(frozen=True)
class _Task:
    """Something to be done about a scene; if ``scene`` is None, by itself and before anything else is begun."""

    scene: str | None
    work: Callable[[], Any]
    future: "Future[Any]"


class Renderers:
    """Renderers of the scenes looked at last, what they keep, and the threads that they work on.

    A scene is worked on by one thread at a time, in the order of asking. As long as it is the only one its kernels use
    all processors; several at once share them out, for threads of kernels that wait for one another while others have
    their processors would slow all down. A renderer that is let go loses all that was worked out for it: a picture with
    three frames beside it needs four.
    """

    def __init__(self, library: Library, most: int = 6, at_once: int | None = None):
        self._library, self._most = library, most
        self._cache = Cache(room())
        self._open: OrderedDict[str, Renderer] = OrderedDict()
        self._lock = threading.Lock()
        self._processors = nb.config.NUMBA_NUM_THREADS
        self._at_once = at_once or kernels_at_once(_AT_ONCE)
        self._threads = ThreadPoolExecutor(self._at_once, thread_name_prefix="render")
        #: What waits, in the order of asking, and what is worked on.
        self._waiting: list[_Task] = []
        self._working: list[_Task] = []
        self._doing: dict[str | None, tuple[float, str]] = {}

    def submit(self, scene: str | None, work: Callable[[], T]) -> "Future[T]":
        """Have something done about a prepared scene, after all that was asked of it before.

        Without a scene it is done by itself: nothing else is worked on meanwhile.
        """
        task = _Task(scene, work, Future())
        with self._lock:
            self._waiting.append(task)
            self._begin()
        return task.future

    def _begin(self) -> None:
        """Set threads on what waits and can be begun; the lock is held."""
        while (task := self._next()) is not None:
            self._threads.submit(self._work, task)

    def _next(self) -> _Task | None:
        """What is to be begun now, noted as worked on; None if nothing can be. The lock is held."""
        busy = {task.scene for task in self._working}
        if len(busy) >= self._at_once or None in busy:
            return None
        task = next((t for t in self._waiting if t.scene not in busy and not (t.scene is None and busy)), None)
        if task is not None:
            self._waiting.remove(task)
            self._working.append(task)
        return task

    def _work(self, task: _Task | None) -> None:
        """Do what is to be done, and what can be begun after it."""
        while task is not None:
            with self._lock:
                crowd = min(len(self._working) + len(self._waiting), self._at_once)
            nb.set_num_threads(max(self._processors // crowd, 1))
            if task.future.set_running_or_notify_cancel():
                try:
                    result = task.work()
                except BaseException as fault:
                    task.future.set_exception(fault)
                else:
                    task.future.set_result(result)
            with self._lock:
                self._working.remove(task)
                self._doing.pop(task.scene, None)
                task = self._next()
                # After what was done by itself others may begin, too.
                self._begin()

    def told(self, scene: str | None, share: float, text: str) -> bool:
        """Note how far what is done about a scene is, 0 to 1, and what it is; always true, that it may go on."""
        self._doing[scene] = share, text
        return True

    def doing(self, scene: str) -> tuple[float, str] | None:
        """How far what a scene waits for is, 0 to 1, and what it is; None if nothing takes long."""
        doing = dict(self._doing)
        return doing.get(scene) or next(iter(doing.values()), None)

    @property
    def waiting(self) -> int:
        """How much waits for a thread, or for its scene."""
        return len(self._waiting)

    def close(self) -> None:
        """End the threads once they have done what they are at; what waits is let go."""
        with self._lock:
            waiting, self._waiting = self._waiting, []
        for task in waiting:
            task.future.cancel()
        self._threads.shutdown()

    def get(self, prepared: str) -> Renderer:
        """Renderer of a prepared scene."""
        with self._lock:
            if prepared in self._open:
                self._open.move_to_end(prepared)
                return self._open[prepared]
        renderer = Renderer(self._library.open_scene(prepared), self._cache)
        with self._lock:
            self._open[prepared] = renderer
            while len(self._open) > self._most:
                self._open.popitem(last=False)
        return renderer
