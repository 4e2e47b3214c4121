"""What tests share: small shoots with known truth, a database, a served application."""

import os
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

from crenn.camera.record import record
from crenn.camera.sensor import Exposure, Sensor
from crenn.core.frames.light import LightFrame
from crenn.core.frames.metadata import FrameMetadata
from crenn.core.frames.raw import RawFrame, read_raw
from crenn.core.mosaic.noise import NoiseModel
from crenn.core.pipeline.scene import SceneLight

#: Colours of the tile of a mosaic.
RGGB = np.array([[0, 1], [1, 2]], np.uint8)
ROOT = Path(__file__).resolve().parents[1]
BRACKET = tuple(Exposure(s) for s in (1 / 16, 1 / 4, 1.0, 4.0))
#: A scene of even light, of which nothing is told.
SCENE_LIGHT = SceneLight(np.ones(1), -4.0, 1.0, -8.0, (6504.0, 0.0))
_shared: dict = {}


class FolderCase(unittest.TestCase):
    """A test with a folder of its own."""

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="crenn-test-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)


def ramp(height: int = 160, width: int = 640, low: float = -12.0, high: float = 2.5) -> np.ndarray:
    """Grey from ``low`` to ``high`` stops along the columns, float32 (H, W, 3)."""
    stops = np.linspace(low, high, width, dtype=np.float32)
    return np.broadcast_to(np.exp2(stops)[None, :, None], (height, width, 3)).astype(np.float32).copy()


def night(height: int = 320, width: int = 480) -> np.ndarray:
    """A small made-up night: a sky falling off upwards, a dark ground, lamps, a lit wall; float32 (H, W, 3)."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    up = np.clip(1 - y / (height * 0.6), 0, 1)
    rgb = np.stack([0.05 + 0.1 * (1 - up), 0.08 + 0.1 * (1 - up), 0.2 + 0.1 * (1 - up)], -1)
    ground = y > height * 0.6 + 8 * np.sin(x / 40)
    texture = 0.6 + 0.8 * rng.random((height, width), dtype=np.float32)
    rgb[ground] = (texture * 0.004)[ground][:, None] * np.array([1.0, 0.8, 0.6])
    for cx, cy in ((90, 200), (250, 215), (390, 195)):
        d2 = (x - cx) ** 2 + (y - cy) ** 2
        glow = 0.5 / (1 + d2 / 60.0)
        rgb += glow[..., None] * np.array([1.0, 0.6, 0.25]) * ground[..., None] * texture[..., None]
        rgb[d2 < 16] = np.array([14.0, 8.0, 3.0])
    return rgb.astype(np.float32)


def take(
    folder: Path,
    radiance,
    exposures=BRACKET,
    sensor: Sensor | None = None,
    seed: int = 1,
    profile: bool = True,
    name: str = "frame",
    taken: datetime = datetime(2026, 10, 17, 18, 0, 0),
    **changes,
) -> list[Path]:
    """Write DNG frames of a radiance (or of one per exposure); ``changes`` go into the description."""
    sensor = sensor or Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
    paths = []
    folder.mkdir(parents=True, exist_ok=True)
    for index, exposure in enumerate(exposures):
        rgb = radiance[index] if isinstance(radiance, (list, tuple)) else radiance
        path, when = folder / f"{name}-{index + 1}.dng", taken + timedelta(seconds=2 * index)
        told = ({} if profile else {"noise_profile": None}) | changes
        paths.append(record(path, rgb, exposure, sensor, seed * 100 + index, when, **told))
    return paths


def light_frame(mosaic: np.ndarray, noise: NoiseModel, gain: float = 1.0, clip: float = 16320.0) -> LightFrame:
    """A light frame made of nothing but a mosaic of 14 bits, uint16 (H, W), of the pattern RGGB."""
    height, width = mosaic.shape
    about = FrameMetadata(width, height, 1.0, 8.0, 100.0, None, "Crenn", "Bench", "", None, None)
    pattern, black = np.array([[0, 1], [1, 2]], np.uint8), np.full(3, 512, np.float32)
    ones, straight = np.ones(3, np.float32), np.eye(3, dtype=np.float32)
    raw = RawFrame(Path("f.dng"), about, mosaic, pattern, black, 16383.0, ones, straight, (6504.0, 0.0), noise, 0, "f")
    frame = LightFrame.of(raw, 0, noise, clip)
    frame.gain = gain
    return frame


def light_frames(paths, clip: float = 16300.0) -> list[LightFrame]:
    """Light frames of DNG files that have a noise profile."""
    raws = [read_raw(p) for p in paths]
    return [LightFrame.of(raw, k, raw.noise, clip) for k, raw in enumerate(raws)]


def made_once(name, make):
    """The one thing of a name that all tests of this process use; its ``close`` is called at the end."""
    if name not in _shared:
        _shared[name] = make()
    return _shared[name]


#: What is written by tests need not outlive the machine.
_CARELESS = {"fsync": "off", "synchronous_commit": "off", "full_page_writes": "off"}


def _cluster():
    """A PostgreSQL cluster in a folder of its own, and its database's URL."""
    from crenn.postgres import Cluster

    # The server may run as another user, who must be able to walk down to it.
    folder = Path(tempfile.mkdtemp(prefix="crenn-pg-"))
    folder.chmod(0o755)
    made = Cluster(folder / "postgres", _CARELESS)
    return made, made.start()


class _Databases:
    """The tests' PostgreSQL cluster, with a migrated database that others are copies of.

    It is never stopped before all tests have ended: a test that stops a server has one of its own.
    """

    def __init__(self) -> None:
        from crenn.store.database import Database

        self._cluster, url = _cluster()
        self.url = url.rsplit("/", 1)[0]
        self._count = 0
        database = Database(url)
        database.migrate()
        database.close()

    def copy(self, template: str) -> str:
        """The URL of a new database that is like another, which nobody uses now."""
        import psycopg

        self._count += 1
        name = f"test{self._count}"
        with psycopg.connect(f"{self.url}/postgres", autocommit=True) as connection:
            connection.execute(f"CREATE DATABASE {name} TEMPLATE {template}")
        return f"{self.url}/{name}"

    def close(self) -> None:
        self._cluster.stop()
        shutil.rmtree(self._cluster.folder.parent, ignore_errors=True)


def copied_database(template: str):
    """A database like another of the tests' cluster, that nobody else uses."""
    from crenn.store.database import Database

    return Database(made_once(_Databases, _Databases).copy(template))


def fresh_database():
    """A migrated database that nobody else uses."""
    return copied_database("crenn")


def blank_database() -> str:
    """The URL of a database with nothing in it that nobody else uses."""
    return str(made_once(_Databases, _Databases).copy("template0"))


def own_server(test: unittest.TestCase):
    """A server that a test may stop and start, and a migrated database on it."""
    from crenn.store.database import Database

    made, url = _cluster()
    test.addCleanup(shutil.rmtree, made.folder.parent, ignore_errors=True)
    test.addCleanup(made.stop)
    database = Database(url)
    test.addCleanup(database.close)
    database.migrate()
    return made, database


def close_shared() -> None:
    """Close what the tests share, what was made last first."""
    while _shared:
        _shared.popitem()[1].close()


def work_off(database, library, but: tuple[str, ...] = ()) -> None:
    """Do all queued jobs in this process, one after the other, but those of some kinds."""
    from sqlalchemy import select

    from crenn.jobs.running import RunningJob
    from crenn.jobs.tasks import TASKS
    from crenn.store.models import Job

    while True:
        with database.session() as session:
            job = session.execute(
                select(Job).where(Job.state == "waiting", Job.kind.not_in(but)).order_by(Job.id).limit(1)
            ).scalar_one_or_none()
        if job is None:
            return
        with RunningJob(database, library, job.id) as running:
            if not running.skip:
                TASKS[job.kind](running)


class Served:
    """The whole application on a free port: server in this process, worker in another.

    ``Served(folder, database)``; then ``address``, ``worker``, ``stop()``.
    """

    def __init__(self, folder: Path, database, worker: bool = True, **changes):
        import uvicorn

        from crenn.api.app import create_app
        from crenn.api.context import Settings
        from crenn.store.library import Library

        self.library, self.database = Library(folder / "library"), database
        proxies = changes.pop("proxies", ())
        self.listener = socket.socket()
        self.listener.bind(("127.0.0.1", 0))
        port = self.listener.getsockname()[1]
        self.address = f"http://127.0.0.1:{port}"
        settings = Settings(
            database, self.library, changes.pop("roots", (folder,)), frozenset({f"127.0.0.1:{port}"}), **changes
        )
        self.app = create_app(settings, ROOT / "web" / "dist")
        self.server = uvicorn.Server(
            uvicorn.Config(
                self.app,
                log_config=None,
                timeout_graceful_shutdown=1,
                proxy_headers=bool(proxies),
                forwarded_allow_ips=list(proxies),
            )
        )
        self.thread = threading.Thread(target=self.server.run, kwargs={"sockets": [self.listener]}, daemon=True)
        self.thread.start()
        self.worker = None
        if worker:
            self.start_worker()
        while not self.server.started:
            time.sleep(0.02)

    def start_worker(self) -> subprocess.Popen:
        environment = os.environ | {"CRENN_DATABASE": self.database.url, "CRENN_LIBRARY": str(self.library.folder)}
        self.worker = subprocess.Popen([sys.executable, "-m", "crenn", "worker"], env=environment)
        return self.worker

    def stop(self) -> None:
        if self.worker is not None and self.worker.poll() is None:
            self.worker.kill()
            self.worker.wait()
        self.server.should_exit = True
        self.thread.join(8)
        self.listener.close()


def wait_for(condition, seconds: float = 40.0, text: str = "the condition"):
    """Wait until a callable gives something true; its value."""
    began = time.monotonic()
    while time.monotonic() - began < seconds:
        value = condition()
        if value:
            return value
        time.sleep(0.1)
    raise AssertionError(f"{text} did not come true within {seconds} s")
