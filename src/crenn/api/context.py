"""What every request needs: database, library, renderers, and who may ask."""

import os
import secrets
import threading
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from fastapi import Request

from crenn.core.errors import CrennError
from crenn.core.render.executor import Renderer
from crenn.core.render.pyramid import PreparedScene
from crenn.store.database import Database
from crenn.store.library import Library

#: An upload may hold this many bytes and files.
MAX_UPLOAD_BYTES = 8 * 2**30
MAX_UPLOAD_FILES = 200


@dataclass
class Settings:
    """How the application is served.

    ``roots`` are the folders that frames may be brought in from; ``secret``, if set, must be given to sign in.
    """

    database: Database
    library: Library
    roots: tuple[Path, ...] = ()
    hosts: frozenset[str] = frozenset()
    secret: str | None = None
    session_key: str = field(default_factory=lambda: secrets.token_urlsafe(32))
    max_upload_bytes: int = MAX_UPLOAD_BYTES


class Renderers:
    """Renderers of the scenes looked at last, and the one thread they work on.

    The kernels use both cores by themselves: several at once would only slow each other down.
    """

    def __init__(self, library: Library, most: int = 3):
        self._library, self._most = library, most
        self._open: OrderedDict[str, Renderer] = OrderedDict()
        self._lock = threading.Lock()
        self.thread = ThreadPoolExecutor(1, thread_name_prefix="render")

    def get(self, prepared: str) -> Renderer:
        """Renderer of a prepared scene."""
        with self._lock:
            if prepared in self._open:
                self._open.move_to_end(prepared)
                return self._open[prepared]
        renderer = Renderer(PreparedScene.open(self._library.scene(prepared)))
        with self._lock:
            self._open[prepared] = renderer
            while len(self._open) > self._most:
                self._open.popitem(last=False)
        return renderer


def settings(request: Request) -> Settings:
    """The application's settings, as a dependency."""
    return request.app.state.settings


def allowed_folder(path: str, roots: tuple[Path, ...]) -> Path:
    """A folder below one of the roots.

    Raises
    ------
    CrennError
        If it lies elsewhere, also by way of links or dots, or is no folder.
    """
    try:
        folder = Path(path).resolve(strict=True)
    except OSError:
        raise CrennError("does not exist.", path, "Check its spelling.") from None
    if not any(folder == root or root in folder.parents for root in roots):
        raise CrennError("lies outside the folders that frames may be brought in from.", path,
                         "Start Crenn with --root for that folder.")
    if not folder.is_dir() or not os.access(folder, os.R_OK | os.X_OK):
        raise CrennError("is no folder that can be read.", path)
    return folder
