"""Clears the library of what ended work has left behind."""

import logging

from sqlalchemy import select

from crenn.jobs.queue import active_jobs, reconcile
from crenn.store.database import Database
from crenn.store.library import Library, prepared_name
from crenn.store.models import Scene

_log = logging.getLogger(__name__)


def put_in_order(database: Database, library: Library) -> int:
    """Bring lost jobs back, and remove files that nothing refers to; how many files and folders.

    Only for the start of the application: see `Library.sweep`.
    """
    reconcile(database)
    with database.session() as session:
        active = active_jobs(session)
        scenes = {name for name in session.execute(select(Scene.prepared)).scalars() if name}
    scenes |= {prepared_name(j.scene_id, j.id) for j in active if j.kind == "merge" and j.scene_id}
    incoming = {j.options["upload"] for j in active if j.options.get("upload")}
    incoming |= {library.incoming_of_camera(j.id).name for j in active if j.kind == "shoot"}
    count = library.sweep(scenes, incoming)
    if count:
        _log.info("removed what ended work had left behind", extra={"count": count})
    return count
