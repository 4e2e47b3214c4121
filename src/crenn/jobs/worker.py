"""A queue worker: `crenn worker`, and the one that `crenn serve` starts."""

import asyncio
import logging
import os
import signal
import threading
from collections.abc import Callable
from pathlib import Path

import procrastinate

from crenn.jobs.queue import DEAD_AFTER, FOLDER_QUEUE, QUEUE, queue_of, reconcile
from crenn.jobs.running import RunningJob
from crenn.jobs.tasks import TASKS
from crenn.memory import give_back_memory
from crenn.store.database import Database
from crenn.store.library import Library
from crenn.store.remote import RemoteLibrary

#: Workers give a sign, and look for lost jobs, this often, in seconds.
_HEARTBEAT = 3
#: Giving the job at work back may take this long when the worker is ended, in seconds.
_LAST_WORDS = 2.0
_log = logging.getLogger(__name__)


class Worker:
    """Works jobs off, one at a time.

    Parameters
    ----------
    database : Database
    library : Library
    parent : int, optional
        Process whose end ends the worker, too.
    """

    def __init__(self, database: Database, library: Library, parent: int | None = None):
        self.database, self.library, self._parent = database, library, parent
        self._current: RunningJob | None = None
        self.app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=database.url))
        for kind, work in TASKS.items():
            self.app.task(name=f"crenn.{kind}", queue=queue_of(kind), pass_context=True)(self._task(work))

    def _task(self, work: Callable[[RunningJob], None]) -> Callable[[procrastinate.JobContext, int], None]:
        def run(context: procrastinate.JobContext, job_id: int) -> None:
            with RunningJob(self.database, self.library, job_id, context.job.id) as job:
                if not job.skip:
                    self._current = job
                    try:
                        work(job)
                    finally:
                        self._current = None
                        give_back_memory()

        return run

    async def _look_round(self) -> None:
        """Bring back what dead workers left, and end with the application that started this one."""
        while True:
            if self._parent and os.getppid() != self._parent:
                # It was killed; its database goes, too.
                os._exit(1)
            try:
                await asyncio.to_thread(reconcile, self.database)
            except Exception as fault:
                _log.warning("cannot look for lost jobs", extra={"fault": type(fault).__name__})
            await asyncio.sleep(_HEARTBEAT)

    def _end(self) -> None:
        """Give the job at work back to the queue, and end: its thread cannot be stopped any other way."""
        job = self._current
        if job is not None:
            back = threading.Thread(target=job.put_back, daemon=True)
            back.start()
            back.join(_LAST_WORDS)
        os._exit(0)

    async def run(self) -> None:
        """Work until ended by a signal."""
        loop = asyncio.get_running_loop()
        for number in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(number, self._end)
        async with self.app.open_async():
            watch = asyncio.create_task(self._look_round())
            try:
                await self.app.run_worker_async(
                    queues=[QUEUE] if isinstance(self.library, RemoteLibrary) else [QUEUE, FOLDER_QUEUE],
                    concurrency=1,
                    update_heartbeat_interval=_HEARTBEAT,
                    stalled_worker_timeout=DEAD_AFTER,
                    fetch_job_polling_interval=2.0,
                    delete_jobs="always",
                    install_signal_handlers=False,
                )
            finally:
                watch.cancel()


def run_worker(
    url: str, folder: Path, parent: int | None = None, server: str | None = None, token: str | None = None
) -> None:
    """Work until ended by a signal, or by the end of the process ``parent``.

    With the address of a ``server`` and its workers' ``token``, ``folder`` is no shared one: files come from there.

    Raises
    ------
    CrennError
        If the library cannot be written to.
    """
    library = Library(folder) if server is None else RemoteLibrary(folder, server, token or "")
    asyncio.run(Worker(Database(url), library, parent).run())
