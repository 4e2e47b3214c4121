"""A library that is reached over HTTP: a folder of its own that holds what was needed of it lately."""

import contextlib
import http.client
import time
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from crenn.core.errors import CrennError, Missing
from crenn.core.files import replacing
from crenn.core.render.pyramid import PreparedScene, noise_folder
from crenn.store.disk import beyond, bytes_in, removed
from crenn.store.library import Library, Shared
from crenn.store.sharing import FOLDERS, packed, shared_path, unpacked

#: Bytes of originals, scenes and deliveries that are kept here for further jobs.
_ROOM = 20 * 10**9
#: Pauses between attempts to reach the server, in seconds; and how long an answer may take to begin.
_PAUSES, _PATIENCE = (0.5, 1.0, 2.0, 4.0, 8.0), 60.0
_PIECE = 2**20


class OutOfReach(Exception):
    """The server does not answer."""


class RemoteLibrary(Library):
    """The library of a server, as a worker on another machine sees it.

    Parameters
    ----------
    folder : Path
        For what was fetched, and results on their way; made if missing.
    server : str
        Address of the application, ``http://host:8642``.
    token : str
        As the server was told by ``CRENN_WORKER_TOKEN``.
    """

    def __init__(self, folder: Path, server: str, token: str):
        super().__init__(folder)
        self._server, self._token = server.rstrip("/"), token

    def original(self, digest: str, ending: str) -> Path:
        path = super().original(digest, ending)
        return path if path.exists() else self._fetched_original(digest) or path

    def original_of(self, digest: str) -> Path | None:
        found = super().original_of(digest)
        return self._fetched_original(digest) if found is None and digest.isalnum() else found

    def _fetched_original(self, digest: str) -> Path | None:
        """An original, fetched; None if the server has none of that hash."""
        self._make_room()
        try:
            with self._answer("GET", "originals", digest) as answer:
                path = super().original(digest, Path(answer.headers.get_filename() or "").suffix)
                path.parent.mkdir(exist_ok=True)
                _keep(answer, path)
        except Missing:
            return None
        return path

    def open_scene(self, name: str) -> PreparedScene:
        folder = self.scene(name)
        if not folder.is_dir():
            self._make_room()
            self._fetch_folder("scenes", name, folder)
        elif not (noise := noise_folder(folder)).is_dir():
            # Somebody else may have split it off since.
            with contextlib.suppress(Missing):
                self._fetch_folder("noise", name, noise)
        return super().open_scene(name)

    def _fetch_folder(self, kind: Shared, name: str, folder: Path) -> None:
        with TemporaryDirectory(prefix=".part-", dir=self.folder / "incoming") as there:
            archive = Path(there) / "folder.zip"
            with self._answer("GET", kind, name) as answer:
                _keep(answer, archive)
            unpacked(archive, folder)

    def share(self, kind: Shared, name: str) -> None:
        self._answer("PUT", kind, name, shared_path(self, kind, name)).close()

    def _answer(self, method: str, kind: Shared, name: str, path: Path | None = None) -> http.client.HTTPResponse:
        """The server's answer, asked for again and again until it is there.

        Raises
        ------
        OutOfReach
            If it is not.
        CrennError
            If it refuses.
        """
        address = f"{self._server}/api/shared/{kind}/{urllib.parse.quote(name)}"
        pauses = iter(_PAUSES)
        while True:
            try:
                return urllib.request.urlopen(self._request(method, address, kind, path), timeout=_PATIENCE)
            except urllib.error.HTTPError as refusal:
                fault: Exception = refusal
                if refusal.code == 404:
                    raise Missing("The server has no longer what this job is about.") from refusal
                if refusal.code < 500:
                    raise CrennError(
                        f"The server refuses to share its files ({refusal.code}).",
                        remedy="Give CRENN_WORKER_TOKEN the same value there and here.",
                    ) from refusal
            except (OSError, http.client.HTTPException) as lost:
                fault = lost
            pause = next(pauses, None)
            if pause is None:
                raise OutOfReach(self._server) from fault
            time.sleep(pause)

    def _request(self, method: str, address: str, kind: Shared, path: Path | None) -> urllib.request.Request:
        body = None if path is None else packed(path) if kind in FOLDERS else _pieces(path)
        headers = {"Authorization": f"Bearer {self._token}", "Content-Type": "application/octet-stream"}
        return urllib.request.Request(address, body, headers, method=method)

    def _make_room(self) -> None:
        """Let go what was used longest ago."""
        folders = ((self.folder / name) for name in ("scenes", "deliveries"))
        kept = [one for folder in folders for one in folder.iterdir()] + [*(self.folder / "originals").rglob("*.*")]
        kept.sort(key=lambda p: p.stat().st_mtime)
        removed(beyond([(p, bytes_in(p)) for p in kept], _ROOM))


def _keep(answer: http.client.HTTPResponse, path: Path) -> None:
    """Write what the server sends to a file, all or nothing."""
    with replacing(path) as part, open(part, "wb") as file:
        while piece := _read(answer):
            file.write(piece)


def _read(answer: http.client.HTTPResponse) -> bytes:
    try:
        return answer.read(_PIECE)
    except (OSError, http.client.HTTPException) as fault:
        raise OutOfReach("broken off") from fault


def _pieces(path: Path) -> Iterator[bytes]:
    with open(path, "rb") as file:
        while piece := file.read(_PIECE):
            yield piece
