"""The queue: deferring tasks, and what the user sees of them."""

import time
from datetime import UTC, datetime

import procrastinate
from sqlalchemy import select

from crenn.core.errors import Cancelled, CrennError
from crenn.core.progress import Progress
from crenn.store.database import Database
from crenn.store.library import Library
from crenn.store.models import Job, Scene

#: Progress is stored at most this often, in seconds.
_EVERY = 0.2
QUEUE = "work"


def defer(database: Database, kind: str, scene_id: int | None = None, shoot_id: int | None = None,
          options: dict | None = None) -> int:
    """Queue a job; its id. The same work is not queued twice: a merge waiting for a scene is returned again."""
    with database.session() as session:
        if kind == "merge":
            waiting = session.execute(select(Job).where(Job.scene_id == scene_id, Job.kind == kind,
                                                        Job.state == "waiting")).scalars().first()
            if waiting is not None:
                return waiting.id
        job = Job(kind=kind, scene_id=scene_id, shoot_id=shoot_id, options=options or {})
        session.add(job)
        session.commit()
        job_id = job.id
    connector = procrastinate.SyncPsycopgConnector(conninfo=database.url)
    app = procrastinate.App(connector=connector)
    with app.open():
        app.configure_task(f"crenn.{kind}", queue=QUEUE).defer(job_id=job_id)
    return job_id


def cancel(database: Database, job_id: int) -> None:
    """Ask a job to stop; one that waits is over at once."""
    with database.session() as session:
        job = session.get(Job, job_id, with_for_update=True)
        if job is None:
            raise CrennError("This job is no longer known.")
        if job.state == "waiting":
            job.state, job.text = "cancelled", "Cancelled"
        elif job.state == "running":
            job.cancelling = True
        session.commit()


class RunningJob:
    """A job at work: tells its progress and ends in exactly one state.

    Used as a context: a `CrennError` inside becomes the job's fault in words, `Cancelled` its cancellation;
    anything else is a defect and is told as such. ``skip`` is true if there is nothing to do any more.
    """

    def __init__(self, database: Database, library: Library, job_id: int):
        self.database, self.library, self.id = database, library, job_id
        self._told = 0.0
        with database.session() as session:
            job = session.get(Job, job_id)
            self.skip = job is None or job.state not in ("waiting", "running")
            if job is None:
                return
            self.kind, self.scene_id, self.shoot_id, self.options = job.kind, job.scene_id, job.shoot_id, job.options
            if not self.skip:
                job.state, job.share, job.text, job.started = "running", 0.0, "Starting", datetime.now(UTC)
            session.commit()
        self.progress = Progress(self._tell)

    def _tell(self, share: float, text: str) -> bool:
        now = time.monotonic()
        if now - self._told < _EVERY and share < 1.0:
            return True
        self._told = now
        with self.database.session() as session:
            job = session.get_one(Job, self.id)
            job.share, job.text = share, text
            go_on = not job.cancelling
            session.commit()
        return go_on

    def __enter__(self) -> "RunningJob":
        return self

    def done(self, result: dict | None = None) -> None:
        """Say that the job ended well."""
        self._end("done", "Done", result=result)

    def _end(self, state: str, text: str, fault: str | None = None, result: dict | None = None) -> None:
        with self.database.session() as session:
            job = session.get_one(Job, self.id)
            job.state, job.text, job.fault, job.result = state, text, fault, result
            if state == "done":
                job.share = 1.0
            if self.kind == "merge" and self.scene_id and state == "failed":
                session.get_one(Scene, self.scene_id).fault = fault
            session.commit()

    def __exit__(self, kind, fault, trace) -> bool:
        if fault is None:
            return False
        if isinstance(fault, Cancelled):
            self._end("cancelled", "Cancelled")
            return True
        if isinstance(fault, CrennError):
            self._end("failed", "Failed", str(fault))
            return True
        if isinstance(fault, MemoryError):
            self._end("failed", "Failed", "Not enough memory for pictures of this size.")
            return True
        if isinstance(fault, Exception):
            self._end("failed", "Failed", f"An unexpected fault: {type(fault).__name__}: {fault}")
        return False
