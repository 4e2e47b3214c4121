"""The worker of the application, in a process of its own."""

import os
import subprocess
import sys
import threading
from pathlib import Path

#: Pauses before a worker that has ended is started again grow from the first to the second, in seconds.
_PAUSE, _LONGEST_PAUSE = 1.0, 20.0
#: A worker that worked for so long was sound: the next pause is short again.
_SOUND = 60.0


class WorkerProcess:
    """A queue worker in a process of its own, started again if it dies.

    Parameters
    ----------
    url : str
        Of the database.
    library : Path
    """

    def __init__(self, url: str, library: Path):
        self._environment = os.environ | {
            "CRENN_DATABASE": url,
            "CRENN_LIBRARY": str(library),
            "CRENN_PARENT": str(os.getpid()),
        }
        self.process: subprocess.Popen | None = None
        self._stopping = threading.Event()
        self._watch = threading.Thread(target=self._keep, name="worker watch", daemon=True)

    def start(self) -> None:
        """Start the worker, and watch it from now on."""
        if not self._stopping.is_set():
            self._begin()
            self._watch.start()

    def _begin(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "crenn", "worker"], env=self._environment, start_new_session=True
        )

    def _keep(self) -> None:
        pause = _PAUSE
        while not self._stopping.is_set():
            assert self.process is not None
            try:
                self.process.wait(_SOUND)
            except subprocess.TimeoutExpired:
                pause = _PAUSE
                continue
            if not self._stopping.wait(pause):
                pause = min(pause * 2, _LONGEST_PAUSE)
                self._begin()

    def move(self, url: str) -> None:
        """Let the worker find the database at another address: it is started again."""
        self._environment["CRENN_DATABASE"] = url
        if self.process is not None:
            self.process.terminate()

    def stop(self) -> None:
        self._stopping.set()
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(4)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()
