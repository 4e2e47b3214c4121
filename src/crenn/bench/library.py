"""How long a library of many scenes takes to open, to go on in, and to be searched, as the server answers."""

import socket
import tempfile
import threading
import time
import urllib.parse
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import uvicorn

from crenn.api.app import create_app
from crenn.api.context import Settings, served_names
from crenn.bench.table import Table
from crenn.camera.shoot import Bracket, scene_named, shoot
from crenn.core.merge.merge import merge_frames
from crenn.postgres import Cluster
from crenn.store.database import Database
from crenn.store.library import Library
from crenn.store.models import Frame, Scene, Shoot
from crenn.store.treatments import start_treatment

#: Shoots, scenes of each, frames of a scene.
_SHOOTS, _SCENES, _FRAMES = 100, 100, 5
_TIMES = 15
#: What is asked: the first page, one far down, words of different kinds.
_ASKED: dict[str, dict[str, str | int]] = {
    "opened": {},
    "a page at its end": {"start": _SHOOTS * _SCENES - 60},
    "found by title": {"words": "basin 42"},
    "found by a file's name": {"words": "n-00777-3"},
    "found by date and ISO": {"words": "2026-03 iso 400"},
    "nothing found": {"words": "nowhere at all"},
    "chosen": {"choice": 2},
}


def fill(database: Database, folder: Path) -> None:
    """Put shoots of scenes into a library, with rows as large as true ones; there are no files."""
    scene = scene_named("lock-basin")
    shot = shoot("lock-basin", folder / "frames", size=(300, 200), bracket=Bracket.chosen(scene, _FRAMES, 2.0, 400.0))
    report = merge_frames(shot.frames).report
    take = None
    with database.session() as session:
        for s in range(_SHOOTS):
            row = Shoot(name=f"Night {s}")
            for n in range(_SCENES):
                number = s * _SCENES + n
                taken = datetime(2026, 1, 1, 21) + timedelta(days=s, minutes=n)
                one = Scene(shoot=row, title=f"Basin {n}", report=report, prepared="none", choice=number % 3)
                for k in range(_FRAMES):
                    seconds = 4.0**k / 16
                    one.frames.append(
                        Frame(
                            name=f"n-{number:05}-{k + 1}.dng",
                            content_hash=f"{number}-{k}",
                            ending=".dng",
                            bytes=48_000_000,
                            width=6000,
                            height=4000,
                            seconds=seconds,
                            aperture=8.0,
                            iso=400.0,
                            sensitivity=seconds * 4,
                            taken=taken + timedelta(seconds=10 * k),
                            camera="Crenn T1",
                            lens="24 mm",
                        )
                    )
                session.add(one)
                # All share a take: only its number is told.
                session.flush()
                take = take or start_treatment(session, one).id
                one.take_id = take
            session.commit()
            session.expunge_all()


@contextmanager
def _served(database: Database, library: Library) -> Iterator[str]:
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        port = listener.getsockname()[1]
        app = create_app(Settings(database, library, hosts=served_names("127.0.0.1", port)))
        server = uvicorn.Server(uvicorn.Config(app, log_config=None))
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]}, daemon=True)
        thread.start()
        while not server.started:
            time.sleep(0.02)
        try:
            yield f"http://127.0.0.1:{port}"
        finally:
            server.should_exit = True
            thread.join()


def bench() -> list[Table]:
    """Milliseconds from question to answer, and how much is sent."""
    table = Table(f"Library of {_SHOOTS * _SCENES} scenes of {_FRAMES} frames", ("ms, median", "ms, p95", "kB"))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        # The server's user looks into it.
        folder.chmod(0o755)
        cluster = Cluster(folder / "postgres")
        database, library = Database(cluster.start()), Library(folder / "library")
        try:
            database.migrate()
            fill(database, folder)
            with _served(database, library) as address:
                for title, asked in _ASKED.items():
                    query = urllib.parse.urlencode({"binned": "false", "most": 60, **asked})
                    took, size = [], 0
                    for _ in range(_TIMES + 1):
                        began = time.perf_counter()
                        with urllib.request.urlopen(f"{address}/api/shoots?{query}") as answer:
                            size = len(answer.read())
                        took.append(1000 * (time.perf_counter() - began))
                    table.add(title, float(np.median(took[1:])), float(np.quantile(took[1:], 0.95)), size / 1000)
        finally:
            database.close()
            cluster.stop()
    return [table]
