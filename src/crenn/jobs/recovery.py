"""Clears the library of what ended work has left behind."""

import logging
import threading

from sqlalchemy import func, select
from sqlalchemy.exc import SQLAlchemyError

from crenn.jobs.letting_go import keep_limits
from crenn.jobs.queue import active_jobs, reconcile
from crenn.store.database import Database
from crenn.store.library import Library, prepared_name
from crenn.store.models import Job, Scene

_log = logging.getLogger(__name__)
#: So many deliveries of a scene are listed, and their files kept.
LISTED = 20
#: So many frames that were prepared by themselves are kept, of all scenes together.
ALONE = 8


def recover_on_start(database: Database, library: Library) -> int:
    """Bring lost jobs back, and remove files that nothing refers to; how many files and folders.

    Only for the start of the application: see `Library.sweep`.
    """
    reconcile(database)
    return _swept(database, library, arriving=False)


def _swept(database: Database, library: Library, arriving: bool) -> int:
    """Remove what nothing refers to; what has come in as well, unless more may be ``arriving``."""
    with database.session() as session:
        active = active_jobs(session)
        scenes = {name for name in session.execute(select(Scene.prepared)).scalars() if name}
        alone = session.execute(select(Job).where(Job.kind == "alone").order_by(Job.id.desc()).limit(ALONE)).scalars()
        scenes |= {prepared_name(j.scene_id, j.id) for j in alone if j.scene_id}
    scenes |= {prepared_name(j.scene_id, j.id) for j in active if j.kind in ("merge", "alone") and j.scene_id}
    incoming = {j.options["upload"] for j in active if j.options.get("upload")}
    incoming |= {library.incoming_of_camera(j.id).name for j in active if j.kind == "shoot"}
    count = library.sweep(scenes, None if arriving else incoming) + library.sweep_deliveries(_kept_deliveries(database))
    if count:
        _log.info("removed what ended work had left behind", extra={"count": count})
    return count


def _kept_deliveries(database: Database) -> set[int]:
    """Jobs of the deliveries that are listed: the newest of each scene, and films of each shoot."""
    newest = (
        select(
            Job.id,
            func.row_number().over(partition_by=(Job.scene_id, Job.shoot_id), order_by=Job.id.desc()).label("place"),
        )
        .where(Job.kind.in_(("deliver", "film")))
        .subquery()
    )
    with database.session() as session:
        return set(session.execute(select(newest.c.id).where(newest.c.place <= LISTED)).scalars())


class Sweeper:
    """While the application runs, removes what ended work leaves behind, but for what arrives just now, and what takes
    more of the disk than it may.

    Parameters
    ----------
    database : Database
    library : Library
    every : float
        Seconds between two looks.
    """

    def __init__(self, database: Database, library: Library, every: float = 900.0):
        self._database, self._library, self._every = database, library, every
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="sweeper", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stopping.set()

    def _run(self) -> None:
        while not self._stopping.wait(self._every):
            try:
                self.sweep()
            except (SQLAlchemyError, OSError) as fault:
                _log.warning("nothing could be swept", extra={"fault": type(fault).__name__})

    def sweep(self) -> int:
        """Remove what nothing refers to, and keep the disk's limits; how many files and folders nothing referred to."""
        count = _swept(self._database, self._library, arriving=True)
        keep_limits(self._database, self._library)
        return count
