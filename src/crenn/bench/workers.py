"""How long a simulated night takes to merge by one worker, two and four, and what a night of raw frames would."""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from sqlalchemy import func, select, update

from crenn.bench.table import Table
from crenn.camera.dawn import shoot_dawn
from crenn.camera.shoot import Bracket, scene_named
from crenn.jobs.importing import bring_in
from crenn.jobs.queue import ACTIVE, add_job, cancel
from crenn.jobs.running import RunningJob
from crenn.postgres import Cluster
from crenn.store.database import Database
from crenn.store.library import Library
from crenn.store.models import Job, Scene, Shoot

#: Brackets of the night, frames of each, (width, height), and seconds between them.
_BRACKETS, _FRAMES, _SIZE, _EVERY = 60, 3, (1732, 1154), 60.0
_WORKERS = (1, 2, 4)
#: The night that is told of: brackets, and megapixels of a frame.
_NIGHT, _MEGAPIXELS = 3000, 24.0
#: Seconds that workers may take in all, and between two looks.
_LONGEST, _LOOK = 3600.0, 0.25


def bench() -> list[Table]:
    """Seconds for the night, and hours that brackets of raw frames would take, by the pixels."""
    table = Table(
        f"{_BRACKETS} brackets of {_FRAMES} × {_SIZE[0] * _SIZE[1] / 1e6:.1f} MP on {os.cpu_count()} cores, merged",
        ("seconds", "seconds a bracket", f"hours for {_NIGHT} of {_MEGAPIXELS:g} MP"),
    )
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        # The server's user looks into it.
        folder.chmod(0o755)
        cluster = Cluster(folder / "postgres")
        url = cluster.start()
        try:
            database, library = Database(url), Library(folder / "library")
            database.migrate()
            scenes = _night(folder, database, library)
            for count in _WORKERS:
                took = _merged_by(count, scenes, database, library)
                scale = _MEGAPIXELS * 1e6 / (_SIZE[0] * _SIZE[1])
                hours = took / _BRACKETS * scale * _NIGHT / 3600
                table.add(f"{count} worker{'s' if count > 1 else ''}", took, took / _BRACKETS, hours)
            database.close()
        finally:
            cluster.stop()
    return [table]


def _night(folder: Path, database: Database, library: Library) -> list[int]:
    """Shoot the night and bring it in; its scenes."""
    scene = scene_named("lock-basin")
    bracket = Bracket.chosen(scene, _FRAMES, 3.0, 400.0)
    frames = shoot_dawn("lock-basin", folder / "frames", _BRACKETS, _EVERY, size=_SIZE, bracket=bracket)
    with database.session() as session:
        shoot = Shoot(name="Night")
        session.add(shoot)
        session.flush()
        job = add_job(session, "import", shoot_id=shoot.id, options={"files": [str(f) for f in frames], "upload": None})
        session.commit()
        number = job.id
    with RunningJob(database, library, number) as running:
        bring_in(running)
    with database.session() as session:
        # What the import has queued is queued anew for each number of workers.
        session.execute(update(Job).where(Job.state.in_(ACTIVE)).values(state="cancelled"))
        session.commit()
        return list(session.execute(select(Scene.id).order_by(Scene.id)).scalars())


def _merged_by(count: int, scenes: list[int], database: Database, library: Library) -> float:
    """Seconds that so many workers take for all scenes, each with its share of the cores, once they are ready."""
    threads = max((os.cpu_count() or 1) // count, 1)
    command = [sys.executable, "-m", "crenn", "worker", "--threads", str(threads)]
    environment = os.environ | {"CRENN_DATABASE": database.url, "CRENN_LIBRARY": str(library.folder)}
    workers = [subprocess.Popen(command, env=environment, stderr=subprocess.DEVNULL) for _ in range(count)]
    try:
        # Each has merged once: what is read when a worker begins is not counted.
        _queued(scenes[:1] * count, database, anew=True)
        _wait(database)
        _call_off(database)
        began = time.perf_counter()
        _queued(scenes, database)
        _wait(database)
        return time.perf_counter() - began
    finally:
        for worker in workers:
            worker.kill()
            worker.wait()


def _queued(scenes: list[int], database: Database, anew: bool = False) -> None:
    with database.session() as session:
        for number in scenes:
            add_job(session, "merge", scene_id=number)
            if anew:
                session.commit()
                time.sleep(1.0)
        session.commit()


def _call_off(database: Database) -> None:
    """Call off the splitting of noise, which is done when nobody waits, and so between two measurements."""
    with database.session() as session:
        jobs = list(session.execute(select(Job.id).where(Job.kind == "noise", Job.state.in_(ACTIVE))).scalars())
    for job in jobs:
        cancel(database, job)
    active = select(func.count(Job.id)).where(Job.state.in_(ACTIVE))
    ends = time.monotonic() + _LONGEST
    while time.monotonic() < ends:
        with database.session() as session:
            if session.execute(active).scalar_one() == 0:
                return
        time.sleep(_LOOK)


def _wait(database: Database) -> None:
    """Until no scene waits to be merged or is."""
    ends = time.monotonic() + _LONGEST
    active = select(func.count(Job.id)).where(Job.kind == "merge", Job.state.in_(ACTIVE))
    while time.monotonic() < ends:
        with database.session() as session:
            if session.execute(active).scalar_one() == 0:
                return
        time.sleep(_LOOK)
    raise TimeoutError("the workers took too long")
