"""A queue worker: `crenn worker`, and the one that `crenn serve` starts."""

import asyncio
import logging
import os
from pathlib import Path

import procrastinate

from crenn.core.errors import CrennError
from crenn.jobs.queue import QUEUE, RunningJob
from crenn.jobs.tasks import TASKS
from crenn.store.database import Database
from crenn.store.library import Library

#: A worker that gave no sign for this long is taken for dead and its job is done again, in seconds.
_DEAD_AFTER = 12
_HEARTBEAT = 3


def build_app(database: Database, library: Library) -> procrastinate.App:
    """The queue's application with its tasks."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=database.url))
    for kind, work in TASKS.items():
        def run(job_id: int, work=work) -> None:
            with RunningJob(database, library, job_id) as job:
                if not job.skip:
                    work(job)
        app.task(run, name=f"crenn.{kind}", queue=QUEUE)
    return app


async def _take_over(app: procrastinate.App) -> None:
    """Queue again what dead workers left unfinished."""
    parent = os.environ.get("CRENN_PARENT")
    while True:
        if parent and os.getppid() != int(parent):
            # The application that started this worker was killed; its database goes, too.
            os._exit(1)
        try:
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=_DEAD_AFTER):
                await app.job_manager.retry_job(job)
        except Exception as fault:
            logging.getLogger("crenn").warning("cannot look for unfinished jobs: %s", fault)
        await asyncio.sleep(_HEARTBEAT)


async def _run(app: procrastinate.App) -> None:
    async with app.open_async():
        watch = asyncio.create_task(_take_over(app))
        try:
            await app.run_worker_async(queues=[QUEUE], concurrency=1, update_heartbeat_interval=_HEARTBEAT,
                                       stalled_worker_timeout=_DEAD_AFTER, fetch_job_polling_interval=2.0,
                                       shutdown_graceful_timeout=2.0, delete_jobs="successful")
        finally:
            watch.cancel()


def run_worker(url: str | None, folder: Path | None) -> None:
    """Work until stopped.

    Raises
    ------
    CrennError
        If the database or the library is not named.
    """
    url, folder = url or os.environ.get("CRENN_DATABASE"), folder or os.environ.get("CRENN_LIBRARY")
    if not url or not folder:
        raise CrennError("A worker needs the database URL and the library folder:",
                         remedy="give --database and --library, or set CRENN_DATABASE and CRENN_LIBRARY.")
    logging.basicConfig(level=logging.WARNING)
    logging.getLogger("procrastinate").setLevel(logging.ERROR)
    database, library = Database(url), Library(Path(folder))
    asyncio.run(_run(build_app(database, library)))
