"""Workers on machines without the shared folder: files come and go over HTTP."""

import io
import zipfile
from unittest import mock

import httpx

from crenn.core.errors import CrennError, Missing
from crenn.jobs.queue import FOLDER_QUEUE, QUEUE, queue_of
from crenn.jobs.running import RunningJob
from crenn.jobs.tasks import TASKS
from crenn.store import remote
from crenn.store.models import Frame, Job, Scene
from crenn.store.remote import RemoteLibrary
from tests.api.case import ApiCase, a_night
from tests.support import work_off

TOKEN = "a token of some length"


class Remote(ApiCase):
    frames = staticmethod(a_night)
    changes: dict = {"worker_token": TOKEN}

    def setUp(self):
        super().setUp()
        self.far = RemoteLibrary(self.folder / "far", self.served.address, TOKEN)
        with self.database.session() as session:
            self.prepared = session.query(Scene).one().prepared

    def sent(self, method: str, path: str, token: str = TOKEN, **more) -> httpx.Response:
        headers = {"Authorization": f"Bearer {token}"}
        return httpx.request(method, f"{self.served.address}/api/shared/{path}", headers=headers, **more)

    def test_a_scene_is_merged_and_delivered_far_away(self):
        self.assertEqual((queue_of("import"), queue_of("merge")), (FOLDER_QUEUE, QUEUE))
        self.http.post(f"{self.address}/merge")
        work_off(self.database, self.far)
        with self.database.session() as session:
            scene = session.query(Scene).one()
            self.assertNotEqual(scene.prepared, self.prepared)
            near = self.served.library.open_scene(scene.prepared)
            self.assertIsNotNone(near.noise, "what was split off is here, too")
        output = {"format": "png", "size": {"by": "pixels", "pixels": 64}}
        (job,) = self.http.post(f"{self.address}/deliveries", json={"outputs": [output]}).json()
        work_off(self.database, self.far)
        file = self.http.get(f"/api/deliveries/{job['id']}/file")
        self.assertTrue(file.content.startswith(b"\x89PNG"))
        # A machine that has nothing of it yet fetches what it needs.
        other = RemoteLibrary(self.folder / "other", self.served.address, TOKEN)
        self.http.post(f"{self.address}/deliveries", json={"outputs": [output]})
        work_off(self.database, other)
        with self.database.session() as session:
            # Noise of the light before waited, and the new merge let it be.
            self.assertEqual({job.state for job in session.query(Job).where(Job.kind != "noise")}, {"done"})

    def test_only_workers_with_the_token_and_only_what_is_the_library_s(self):
        for token in ("x", "another one", TOKEN[:-1]):
            self.assertEqual(self.sent("GET", f"scenes/{self.prepared}", token).status_code, 403, token)
        with self.assertRaisesRegex(CrennError, "CRENN_WORKER_TOKEN"):
            RemoteLibrary(self.folder / "x", self.served.address, "wrong token").open_scene(self.prepared)
        self.assertEqual(self.sent("GET", f"scenes/{self.prepared}").status_code, 200)
        with self.assertRaises(Missing):
            self.far.open_scene("1-999")
        for path in ("scenes/..", "scenes/1-2-3", "originals/abc", "deliveries/..%2F1.png", "pictures/frame-1.jpg"):
            self.assertIn(self.sent("GET", path).status_code, (404, 405), path)
        self.assertEqual(self.sent("PUT", f"originals/{'0' * 64}", content=b"x").status_code, 400)
        for name in ("../out.npy", "/out.npy", "other.exe", "noise/../level0.npy"):
            packed = io.BytesIO()
            with zipfile.ZipFile(packed, "w") as archive:
                archive.writestr(name, b"x")
            self.assertEqual(self.sent("PUT", "scenes/7-7", content=packed.getvalue()).status_code, 400, name)
        self.assertEqual(self.sent("PUT", "scenes/7-7", content=b"no archive").status_code, 400)
        self.assertFalse(self.served.library.scene("7-7").exists())
        self.assertEqual(list((self.served.library.folder / "incoming").iterdir()), [])

    def test_a_server_that_is_away_gives_the_job_back(self):
        output = {"format": "png", "size": {"by": "pixels", "pixels": 64}}
        (job,) = self.http.post(f"{self.address}/deliveries", json={"outputs": [output]}).json()
        with mock.patch.object(remote, "_PAUSES", (0.01,)):
            away = RemoteLibrary(self.folder / "away", "http://127.0.0.1:9", TOKEN)
            with RunningJob(self.database, away, job["id"]) as running:
                TASKS["deliver"](running)
        with self.database.session() as session:
            given = session.get(Job, job["id"])
            self.assertEqual((given.state, given.attempts), ("waiting", 0))

    def test_noise_that_another_worker_split_off_is_fetched_and_old_files_go(self):
        self.assertIsNone(self.far.open_scene(self.prepared).noise)
        self.served.library.open_scene(self.prepared).split_noise()
        self.assertIsNotNone(self.far.open_scene(self.prepared).noise)
        with mock.patch.object(remote, "_ROOM", 0):
            number = self.http.get(self.address).json()["frames"][0]["id"]
            with self.database.session() as session:
                frame = session.get(Frame, number)
                path = self.far.original(frame.content_hash, frame.ending)
        self.assertTrue(path.exists())
        self.assertEqual(list((self.far.folder / "scenes").iterdir()), [])


class SignedIn(ApiCase):
    changes: dict = {"secret": "a secret of the house", "worker_token": TOKEN}

    def test_the_token_stands_in_for_signing_in_where_files_are_shared_alone(self):
        headers = {"Authorization": f"Bearer {TOKEN}"}
        address = self.served.address
        self.assertEqual(httpx.get(f"{address}/api/shared/originals/{'0' * 64}", headers=headers).status_code, 404)
        self.assertEqual(httpx.get(f"{address}/api/shoots", headers=headers).status_code, 401)


class Closed(ApiCase):
    def test_nothing_is_shared_without_a_token(self):
        for headers in ({}, {"Authorization": "Bearer"}, {"Authorization": "None"}):
            answer = self.http.get(f"/api/shared/originals/{'0' * 64}", headers=headers)
            self.assertEqual(answer.status_code, 403)
