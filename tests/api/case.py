"""A served application for a test, and a client to ask it."""

from typing import ClassVar

import httpx

from tests.support import FolderCase, Served, fresh_database, night, own_server, take, work_off


class ApiCase(FolderCase):
    worker = False
    changes: dict = {}
    #: Kinds of jobs that are left waiting: noise is split off after every merge, which few tests look at.
    left: tuple[str, ...] = ("noise",)

    #: Whether the test stops the database's server, and so has one of its own.
    stops_server = False

    def setUp(self):
        super().setUp()
        if self.stops_server:
            self.server, self.database = own_server(self)
        else:
            self.database = fresh_database()
        self.served = Served(self.folder, self.database, worker=self.worker, **self.changes)
        self.addCleanup(self.served.stop)
        self.http = httpx.Client(base_url=self.served.address, timeout=60)
        self.addCleanup(self.http.close)

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


class SceneCase(ApiCase):
    """A served scene, brought in once for all tests of a class: they look at it, and need no state of its treatment."""

    _made: ClassVar[dict] = {}

    def frames(self) -> list:
        """The frames that are brought in."""
        return take(self.folder / "in", night())

    def setUp(self):
        cls = type(self)
        if "_made" not in vars(cls):
            self.addCleanup = cls.addClassCleanup
            super().setUp()
            del self.addCleanup
            self.scene = self.bring_in(self.frames())["scenes"][0]
            self.address = f"/api/scenes/{self.scene['id']}"
            self.prepared = self.http.get(self.address).json()["prepared"]
            names = ("folder", "database", "served", "http", "scene", "address", "prepared")
            cls._made = {name: getattr(self, name) for name in names}
        vars(self).update(cls._made)
