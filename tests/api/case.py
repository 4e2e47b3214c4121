"""A served application for a test, and a client to ask it."""

import shutil
import tempfile
from pathlib import Path
from typing import ClassVar

import httpx

from crenn.store.database import Database
from tests.support import (
    FolderCase,
    Served,
    copied_database,
    fresh_database,
    made_once,
    night,
    own_server,
    take,
    work_off,
)


class ApiCase(FolderCase):
    """A served application; with what ``frames`` gives brought in, if it gives any."""

    worker = False
    changes: dict = {}
    #: Kinds of jobs that are left waiting: noise is split off after every merge, which few tests look at.
    left: tuple[str, ...] = ("noise",)

    #: Whether the test stops the database's server, and so has one of its own.
    stops_server = False

    #: Makes the frames of a scene, told a folder, of which each test has a copy that has been merged already.
    frames: ClassVar = None

    def setUp(self):
        super().setUp()
        if self.stops_server:
            self.server, self.database = own_server(self)
        elif self.frames is None:
            self.database = fresh_database()
        else:
            self.database = self._merged().copy(self.folder / "library")
        self.served = Served(self.folder, self.database, worker=self.worker, **self.changes)
        self.addCleanup(self.served.stop)
        self.http = httpx.Client(base_url=self.served.address, timeout=60)
        self.addCleanup(self.http.close)
        if self.frames is not None:
            self.scene = self.http.get("/api/shoots").json()[0]["scenes"][0]
            self.address = f"/api/scenes/{self.scene['id']}"

    @classmethod
    def _merged(cls) -> "_Merged":
        return made_once((cls.frames, cls.left), lambda: _Merged(cls.frames, cls.left))

    def work(self):
        work_off(self.database, self.served.library, self.left)

    def upload(self, paths) -> httpx.Response:
        return self.http.post("/api/uploads", files=[("files", (p.name, p.read_bytes())) for p in paths])

    def bring_in(self, paths) -> dict:
        """Upload and work off; the newest shoot."""
        answer = self.upload(paths)
        self.assertEqual(answer.status_code, 200, answer.text)
        self.work()
        return self.http.get("/api/shoots").json()[0]


class _Merged:
    """A library with one scene, brought in once a process for all tests that begin with it."""

    def __init__(self, frames, left: tuple[str, ...]) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="crenn-merged-"))
        case = type("_BringIn", (ApiCase,), {"left": left})()
        case.folder, case.database = self.folder, fresh_database()
        case.served = Served(self.folder, case.database, worker=False)
        with httpx.Client(base_url=case.served.address, timeout=60) as case.http:
            case.bring_in(frames(self.folder / "in"))
        case.served.stop()
        case.database.close()
        self.name = case.database.url.rsplit("/", 1)[1]

    def copy(self, folder: Path) -> Database:
        """A database like it, and in a folder its library."""
        shutil.copytree(self.folder / "library", folder)
        return copied_database(self.name)

    def close(self) -> None:
        shutil.rmtree(self.folder, ignore_errors=True)


def a_night(folder: Path) -> list[Path]:
    """Frames of a small night."""
    return take(folder, night())


class SceneCase(ApiCase):
    """A served scene for all tests of a class: they look at it, and need no state of its treatment."""

    frames = staticmethod(a_night)
    _made: ClassVar[dict] = {}

    def setUp(self):
        cls = type(self)
        if "_made" not in vars(cls):
            self.addCleanup = cls.addClassCleanup
            super().setUp()
            del self.addCleanup
            self.prepared = self.http.get(self.address).json()["prepared"]
            names = ("folder", "database", "served", "http", "scene", "address", "prepared")
            cls._made = {name: getattr(self, name) for name in names}
        vars(self).update(cls._made)
