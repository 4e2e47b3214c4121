"""What every request needs: database, library, and who may ask."""

import os
import socket
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from fastapi import Request

from crenn.core.errors import CrennError
from crenn.store.database import Database
from crenn.store.library import Library

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
