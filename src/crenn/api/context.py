"""What every request needs: database, library, renderers, and who may ask."""

import os
import socket
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from fastapi import Request

from crenn.core.errors import CrennError
from crenn.core.render.cache import Cache
from crenn.core.render.renderer import Renderer
from crenn.store.database import Database
from crenn.store.library import Library

T = TypeVar("T")
#: An upload may hold this many bytes and files.
MAX_UPLOAD_BYTES = 8 * 2**30
MAX_UPLOAD_FILES = 200


@dataclass
class Settings:
    """How the application is served.

    ``roots`` are the folders that frames may be brought in from; ``hosts`` the names and ports it answers under,
    besides,
    with ``any_address``, the machine's own addresses; ``secret``, if set, must be given to sign in; with
    ``worker_token``, if set, workers without the shared folder fetch and bring files; ``trouble`` says what
    is the matter with the database, or None.
    """

    database: Database
    library: Library
    roots: tuple[Path, ...] = ()
    hosts: frozenset[str] = frozenset()
    any_address: bool = False
    secret: str | None = None
    worker_token: str | None = None
    max_upload_bytes: int = MAX_UPLOAD_BYTES
    trouble: Callable[[], str | None] = lambda: None


def served_names(bind: str, port: int, names: Sequence[str] = ()) -> frozenset[str]:
    """What the header Host may say.

    Parameters
    ----------
    bind : str
        Address listened on.
    port : int
    names : sequence of str
        Names given by whoever started it, such as a proxy's; with a port of their own or without.
    """
    own = {bind if ":" not in bind else f"[{bind}]", "localhost"}
    own |= {"127.0.0.1", "[::1]"} if is_loopback(bind) else {socket.gethostname()}
    out = {f"{n}:{port}" for n in own | set(names)} | set(names)
    return frozenset(n.lower() for n in out | (own if port == 80 else set()))


def is_loopback(bind: str) -> bool:
    """Whether an address is reached from this machine alone."""
    return bind in ("127.0.0.1", "localhost", "::1")


def is_wildcard(bind: str) -> bool:
    """Whether an address stands for all of the machine's."""
    return bind in ("0.0.0.0", "::")


#: Bytes that are kept of all scenes together: so much, or this share of the machine's memory if that is less. A picture
#: at rest with areas and noise, as the demo's are finished, wants 0.3 to 0.5 GB: two of them must find room.
_ROOM, _SHARE = 1536 * 2**20, 1 / 6


def room() -> int:
    """Bytes for what is kept of all scenes that are open."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return min(_ROOM, int(memory * _SHARE))


class Renderers:
    """Renderers of the scenes looked at last, what they keep, and the one thread they work on.

    The kernels use both cores by themselves: several at once would only slow each other down. One that is let go loses
    all that was worked out for it: a picture with three frames beside it needs four.
    """

    def __init__(self, library: Library, most: int = 6):
        self._library, self._most = library, most
        self._cache = Cache(room())
        self._open: OrderedDict[str, Renderer] = OrderedDict()
        self._lock = threading.Lock()
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="render")
        self._waiting = 0
        #: How far what takes long is, 0 to 1, and what it is; None if nothing does.
        self.doing: tuple[float, str] | None = None

    def submit(self, work: Callable[[], T]) -> "Future[T]":
        """Have something done on the thread that renders, after all that was asked for before."""
        with self._lock:
            self._waiting += 1

        def begin() -> T:
            with self._lock:
                self._waiting -= 1
            try:
                return work()
            finally:
                self.doing = None

        return self._thread.submit(begin)

    def told(self, share: float, text: str) -> bool:
        """Note how far what is done on the thread is: a `crenn.core.progress.Report`."""
        self.doing = share, text
        return True

    @property
    def others_wait(self) -> bool:
        """Whether anything waits for the thread."""
        return self._waiting > 0

    def close(self) -> None:
        """End the thread once it has done what it is at; what waits is let go."""
        self._thread.shutdown(cancel_futures=True)

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


def settings(request: Request) -> Settings:
    """The application's settings, as a dependency."""
    return request.app.state.settings


def is_below(path: Path, roots: tuple[Path, ...]) -> bool:
    """Whether a path, followed to where it leads, lies below one of the roots."""
    return any(path == root or root in path.parents for root in roots)


def allowed_folder(path: str, roots: tuple[Path, ...]) -> Path:
    """A folder below one of the roots.

    Raises
    ------
    CrennError
        If it lies elsewhere, also by way of links or dots, or is no folder.
    """
    try:
        folder = Path(path).resolve(strict=True)
    except (OSError, ValueError):
        raise CrennError("does not exist.", path, "Check its spelling.") from None
    if not is_below(folder, roots):
        raise CrennError(
            "lies outside the folders that frames may be brought in from.",
            path,
            "Start Crenn with --root for that folder.",
        )
    if not folder.is_dir() or not os.access(folder, os.R_OK | os.X_OK):
        raise CrennError("is no folder that can be read.", path)
    return folder
