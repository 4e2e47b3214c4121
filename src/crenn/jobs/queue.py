"""The queue: what the user sees as a job, and the task behind it, always changed in one transaction.

A job ends in exactly one state. Its task is at Procrastinate's; should the two ever disagree (a killed worker, a lost
database), `reconcile` brings the job back into the queue, or ends it.
"""

import logging

import procrastinate
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from crenn.core.errors import Missing
from crenn.store.database import Database
from crenn.store.models import Job

#: What any worker can do, and what only those do that share the library's folder: frames arrive there, and a series
#: looks at a night of scenes.
QUEUE, FOLDER_QUEUE = "work", "folder"
_IN_FOLDER = ("import", "shoot", "series", "film")
#: A worker that gave no sign for this long is taken for dead and its job is done again, in seconds.
DEAD_AFTER = 12
#: So often a job may end its worker before it counts as failed.
MOST_ATTEMPTS = 3
ACTIVE = ("waiting", "running")

_log = logging.getLogger(__name__)
# Only used to write tasks on connections of ours: it opens none of its own.
_DEFERRER = procrastinate.App(connector=procrastinate.SyncPsycopgConnector())

_TASK = text("""
    SELECT t.status::text AS status,
           t.status = 'doing'
                AND (w.id IS NULL OR w.last_heartbeat < now() - make_interval(secs => :seconds)) AS abandoned
    FROM procrastinate_jobs t LEFT JOIN procrastinate_workers w ON w.id = t.worker_id WHERE t.id = :task""")
_LOST = text("""
    SELECT job.id FROM job
    LEFT JOIN procrastinate_jobs t ON t.id = job.task_id
    LEFT JOIN procrastinate_workers w ON w.id = t.worker_id
    WHERE job.state IN ('waiting', 'running')
      AND (t.id IS NULL OR t.status NOT IN ('todo', 'doing') OR t.status = 'doing'
           AND (w.id IS NULL OR w.last_heartbeat < now() - make_interval(secs => :seconds)))
    ORDER BY job.id FOR UPDATE OF job SKIP LOCKED""")


def queue_of(kind: str) -> str:
    """The queue that jobs of a kind wait in."""
    return FOLDER_QUEUE if kind in _IN_FOLDER else QUEUE


def add_job(
    session: Session, kind: str, scene_id: int | None = None, shoot_id: int | None = None, options: dict | None = None
) -> Job:
    """Queue a job within the session's transaction: both come true with its commit, or neither.

    The same work is not queued twice: a merge waiting for a scene is returned again. Nor does it wait for work that it
    makes idle: noise that is being split off a scene's light is let be when the scene is merged anew.
    """
    if kind in ("merge", "noise"):
        waiting = (
            session.execute(
                select(Job).where(Job.scene_id == scene_id, Job.kind == kind, Job.state == "waiting").order_by(Job.id)
            )
            .scalars()
            .first()
        )
        if waiting is not None:
            return waiting
    if kind == "merge":
        splitting = select(Job).where(Job.scene_id == scene_id, Job.kind == "noise", Job.state.in_(ACTIVE))
        for idle in session.execute(splitting.order_by(Job.id).with_for_update()).scalars():
            _stop(session, idle)
    job = Job(kind=kind, scene_id=scene_id, shoot_id=shoot_id, options=options or {})
    session.add(job)
    session.flush()
    _give_task(session, job)
    return job


def defer(
    database: Database, kind: str, scene_id: int | None = None, shoot_id: int | None = None, options: dict | None = None
) -> int:
    """Queue a job in a transaction of its own; its id."""
    with database.session() as session:
        job = add_job(session, kind, scene_id, shoot_id, options)
        session.commit()
        return job.id


def _give_task(session: Session, job: Job) -> None:
    connection = session.connection().connection.driver_connection
    # What nobody waits for comes after what somebody does.
    priority = -1 if job.kind == "noise" else 0
    task = _DEFERRER.configure_task(
        f"crenn.{job.kind}", queue=queue_of(job.kind), priority=priority, connection=connection
    )
    job.task_id = task.defer(job_id=job.id)
    session.flush()


def _take_task(session: Session, job: Job) -> None:
    """Take the job's task out of the queue; one that is being worked on finds itself replaced."""
    session.execute(text("DELETE FROM procrastinate_jobs WHERE id = :task"), {"task": job.task_id})


def put_back(session: Session, job: Job, again: bool = False) -> None:
    """Put a job back into the queue, with a new task in place of the old.

    Parameters
    ----------
    session : Session
    job : Job
        Locked by the caller.
    again : bool
        Whether the attempt was no fault of the job's, and so does not count.
    """
    if again:
        job.attempts = max(job.attempts - 1, 0)
    _take_task(session, job)
    job.state = "waiting"
    _give_task(session, job)


def end_job(
    session: Session, job: Job, state: str, told: str, fault: str | None = None, result: dict | None = None
) -> None:
    """Write a job's end.

    The fault of a merge is its scene's, too; and where it changed nothing, noise is split off the light that is there.
    """
    job.state, job.text, job.fault, job.result, job.cancelling = state, told, fault, result, False
    if state == "done":
        job.share = 1.0
    if job.kind == "merge" and job.scene is not None and state == "failed":
        job.scene.fault = fault
    if job.kind == "merge" and job.scene is not None and job.scene.prepared and state != "done":
        add_job(session, "noise", job.scene_id)


def cancel(database: Database, job_id: int) -> None:
    """End a job: at once if it waits or nobody works on it, else as soon as its worker looks up.

    Raises
    ------
    Missing
        If there is no such job.
    """
    with database.session() as session:
        job = session.get(Job, job_id, with_for_update=True)
        if job is None:
            raise Missing("This job is no longer known.")
        if job.state in ACTIVE:
            _stop(session, job)
        session.commit()


def _stop(session: Session, job: Job) -> None:
    """End an active job, locked by the caller: at once, or as soon as its worker looks up."""
    task = session.execute(_TASK, {"task": job.task_id, "seconds": DEAD_AFTER}).first()
    if job.state == "running" and task is not None and task.status == "doing" and not task.abandoned:
        job.cancelling = True
    else:
        _take_task(session, job)
        end_job(session, job, "cancelled", "Cancelled")


def reconcile(database: Database) -> int:
    """Put jobs back into the queue whose task is gone, has failed, or belongs to a dead worker; how many.

    A job that was to be cancelled ends as cancelled, one that has ended its worker `MOST_ATTEMPTS` times as failed.
    """
    with database.session() as session:
        lost = session.execute(_LOST, {"seconds": DEAD_AFTER}).scalars().all()
        for job_id in lost:
            job = session.get_one(Job, job_id)
            if job.cancelling:
                _take_task(session, job)
                end_job(session, job, "cancelled", "Cancelled")
            elif job.attempts >= MOST_ATTEMPTS:
                _take_task(session, job)
                end_job(session, job, "failed", "Failed", attempts_message(job))
            else:
                put_back(session, job)
            _log.warning("a lost job was found", extra={"job": job.id, "kind": job.kind, "state": job.state})
        session.commit()
        return len(lost)


def attempts_message(job: Job) -> str:
    """What to say of a job that has ended its worker too often: the file or step at which it did."""
    at = f"at “{job.text}”" if job.text not in ("Waiting", "Starting") else "as it began"
    return (
        f"The worker was ended {job.attempts} times by this, the last time {at}. Leave the file out, if one is named, "
        "or try again with fewer or smaller frames: the machine may be short of memory."
    )


def active_jobs(session: Session) -> list[Job]:
    """Jobs that wait or run."""
    return list(session.execute(select(Job).where(Job.state.in_(ACTIVE)).order_by(Job.id)).scalars())
