"""A served application for a test, and a client to ask it."""

import httpx

from tests.support import FolderCase, Served, fresh_database, work_off


class ApiCase(FolderCase):
    worker = False
    changes: dict = {}
    #: Kinds of jobs that are left waiting: noise is split off after every merge, which few tests look at.
    left: tuple[str, ...] = ("noise",)

    def setUp(self):
        super().setUp()
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
