"""A job at work: it tells how far it is, and ends in exactly one state whatever happens."""

import logging
import shutil
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy.exc import InterfaceError, OperationalError
from sqlalchemy.orm import Session

from crenn.core.errors import Cancelled, CrennError
from crenn.core.progress import Progress
from crenn.jobs.queue import ACTIVE, MOST_ATTEMPTS, attempts_message, end_job, put_back
from crenn.log import about
from crenn.store.database import Database
from crenn.store.library import Library
from crenn.store.models import Job
from crenn.store.remote import OutOfReach

#: Progress is stored at most this often, in seconds, while the work stays the same.
_EVERY = 0.2
#: Pauses between attempts to reach a lost database grow up to this, in seconds.
_LONGEST_PAUSE = 5.0
#: Faults of the database rather than of the job.
DATABASE_FAULTS = (OperationalError, InterfaceError)

_log = logging.getLogger(__name__)


class Superseded(Exception):
    """Somebody else has taken the job over, or ended it."""


class RunningJob:
    """A job at work, used as a context.

    A `CrennError` inside becomes the job's fault in words, `Cancelled` its cancellation, anything else is told as a
    defect and logged. A fault of the database, or a server out of reach, puts the job back into the queue. Ending is
    tried until the database is there. ``skip`` is true if there is nothing to do any more.

    Parameters
    ----------
    database : Database
    library : Library
    job_id : int
    task_id : int, optional
        Task that runs it; one that has been replaced has nothing to do.
    """

    def __init__(self, database: Database, library: Library, job_id: int, task_id: int | None = None):
        self.database, self.library, self.id, self._task = database, library, job_id, task_id
        self._told, self._text = 0.0, ""
        self._began = time.monotonic()
        self.progress = Progress(self._tell)
        #: Folders that are removed once the job has ended, however it did.
        self.leftovers: list[Path] = []
        self.skip = True
        self.store(self._begin)

    def _begin(self, session: Session) -> None:
        self.skip = True
        job = session.get(Job, self.id, with_for_update=True)
        if job is None or job.state not in ACTIVE or not self._mine(job):
            return
        if job.cancelling:
            end_job(session, job, "cancelled", "Cancelled")
        elif job.attempts >= MOST_ATTEMPTS:
            end_job(session, job, "failed", "Failed", attempts_message(job))
        else:
            self.kind, self.scene_id, self.shoot_id, self.options = job.kind, job.scene_id, job.shoot_id, job.options
            self._task = job.task_id
            job.state, job.share, job.started, job.attempts = "running", 0.0, datetime.now(UTC), job.attempts + 1
            # What it did when its worker died stays until it gets further: it may die there again.
            if job.attempts == 1:
                job.text = "Starting"
            self.skip = False

    def _mine(self, job: Job) -> bool:
        return self._task is None or job.task_id == self._task

    def _tell(self, share: float, text: str) -> bool:
        now = time.monotonic()
        if text == self._text and now - self._told < _EVERY and share < 1.0:
            return True
        self._told, self._text = now, text
        try:
            with self.database.session() as session:
                job = session.get_one(Job, self.id)
                if job.state != "running" or not self._mine(job):
                    raise Superseded
                job.share, job.text = share, text
                go_on = not job.cancelling
                session.commit()
            return go_on
        except DATABASE_FAULTS as fault:
            # The work goes on: its end waits for the database.
            _log.warning("progress could not be stored", extra={"fault": type(fault).__name__})
            return True

    def store(self, change: Callable[[Session], None]) -> None:
        """Make a change in a transaction, again and again until the database takes it."""
        pause = 0.5
        while True:
            try:
                with self.database.session() as session:
                    change(session)
                    session.commit()
                return
            except DATABASE_FAULTS as fault:
                _log.warning(
                    "the database does not answer; trying again", extra={"fault": type(fault).__name__, "pause": pause}
                )
                time.sleep(pause)
                pause = min(pause * 2, _LONGEST_PAUSE)

    @property
    def of_scene(self) -> int:
        """The scene it is about; a `ValueError` if it is about none."""
        if self.scene_id is None:
            raise ValueError(f"job {self.id} is about no scene")
        return self.scene_id

    def __enter__(self) -> "RunningJob":
        self._about = about(job=self.id)
        self._about.__enter__()
        if not self.skip:
            _log.info("job started", extra={"kind": self.kind, "scene": self.scene_id})
        return self

    def done(self, result: dict | None = None, session: Session | None = None) -> None:
        """Say that the job ended well, within the session's transaction if one is given."""
        if session is None:
            self.store(lambda s: self._write_end(s, "done", "Done", result=result))
        else:
            self._write_end(session, "done", "Done", result=result)

    def _write_end(
        self, session: Session, state: str, told: str, fault: str | None = None, result: dict | None = None
    ) -> None:
        job = session.get_one(Job, self.id, with_for_update=True)
        if job.state not in ACTIVE or not self._mine(job):
            raise Superseded
        end_job(session, job, state, told, fault, result)

    def put_back(self) -> None:
        """Give the job back to the queue, as this worker cannot go on; the attempt does not count."""

        def change(session: Session) -> None:
            job = session.get(Job, self.id, with_for_update=True)
            if job is not None and job.state == "running" and self._mine(job):
                put_back(session, job, again=True)

        self.store(change)

    def _fail(self, told: str) -> None:
        self.store(lambda s: self._write_end(s, "failed", "Failed", told))

    def __exit__(self, kind, fault, trace) -> bool:
        outcome = "done" if fault is None else type(fault).__name__
        try:
            if isinstance(fault, Cancelled):
                self.store(lambda s: self._write_end(s, "cancelled", "Cancelled"))
            elif isinstance(fault, CrennError):
                self._fail(str(fault))
            elif isinstance(fault, MemoryError):
                self._fail("Not enough memory for pictures of this size.")
            elif isinstance(fault, (*DATABASE_FAULTS, OutOfReach)):
                self.put_back()
                self.leftovers = []
            elif isinstance(fault, Exception) and not isinstance(fault, Superseded):
                _log.error("unexpected fault in a job", exc_info=(kind, fault, trace))
                self._fail(f"An unexpected fault ({type(fault).__name__}). The log tells more.")
        except Superseded as lost:
            fault = lost
        finally:
            if isinstance(fault, Superseded):
                # They are another worker's now.
                self.leftovers = []
            if fault is None or isinstance(fault, Exception):
                for folder in self.leftovers:
                    shutil.rmtree(folder, ignore_errors=True)
            if not self.skip:
                _log.info("job ended", extra={"outcome": outcome, "seconds": round(time.monotonic() - self._began, 2)})
            self._about.__exit__(None, None, None)
        return fault is None or isinstance(fault, Exception)
