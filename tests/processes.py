"""Processes that run classes of tests: one that hangs, or dies, costs its class and nothing else."""

import contextlib
import faulthandler
import io
import os
import signal
import time
import traceback
import unittest
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from multiprocessing import get_context
from multiprocessing.connection import Connection, wait

from crenn.log import log_nothing
from crenn.memory import give_back_memory, keep_memory

#: Seconds after which a test is taken to hang: the slowest takes half of it on a busy machine.
_PATIENCE = 600.0


@dataclass
class Outcome:
    """What came of some tests; picklable."""

    name: str = ""
    run: int = 0
    failed: int = 0
    skipped: int = 0
    text: str = ""
    times: dict[str, float] = field(default_factory=dict)


class _Result(unittest.TextTestResult):
    """Counts a test that fails in several subtests once, takes its time, and tells which one begins."""

    begins: Callable[[str], None] = staticmethod(lambda name: None)

    def __init__(self, *args, **more):
        super().__init__(*args, **more)
        self.times: dict[str, float] = {}
        self._began = 0.0

    def startTest(self, test):  # noqa: N802
        super().startTest(test)
        self._began = time.perf_counter()
        self.begins(test.id())

    def stopTest(self, test):  # noqa: N802
        super().stopTest(test)
        self.times[test.id()] = time.perf_counter() - self._began

    def failing(self) -> set[str]:
        """Names of the tests that failed."""
        faults = [t for t, _ in self.failures + self.errors] + list(self.unexpectedSuccesses)
        return {getattr(t, "test_case", t).id() for t in faults}


def run(name: str, suite: unittest.TestSuite, stream) -> Outcome:
    """Run tests; their outcome."""
    runner = unittest.TextTestRunner(stream=stream, verbosity=2, resultclass=_Result)
    result = runner.run(suite)
    return Outcome(name, result.testsRun, len(result.failing()), len(result.skipped), times=result.times)


def _one_class(name: str) -> Outcome:
    """Run a class of tests in this process; its output is kept."""
    stream = io.StringIO()
    try:
        outcome = run(name, unittest.defaultTestLoader.loadTestsFromName(name), stream)
    except Exception:
        return Outcome(name, 1, 1, text=f"{stream.getvalue()}\nERROR: {name}\n{traceback.format_exc()}")
    outcome.text = stream.getvalue()
    return outcome


def _work(line: Connection) -> None:
    """What a process does: run each class whose name comes; at None, put away what its tests shared, and end."""
    from tests.support import close_shared

    # What its tests start belongs to its group, and ends with it.
    os.setsid()
    log_nothing()
    keep_memory()
    # Asked where it hangs, it tells.
    faulthandler.register(signal.SIGUSR1)
    _Result.begins = staticmethod(line.send)
    while (name := line.recv()) is not None:
        line.send(_one_class(name))
        give_back_memory()
    close_shared()


class _Process:
    """A process, and what it is at."""

    def __init__(self) -> None:
        context = get_context("spawn")
        self.line, theirs = context.Pipe()
        self._process = context.Process(target=_work, args=(theirs,))
        self._process.start()
        theirs.close()
        self.name: str | None = None
        self.lives = True

    def hand(self, name: str | None) -> None:
        """Have a class run; None ends the process."""
        self.name = name
        self._begins(name or "what tests share is put away")
        with contextlib.suppress(OSError):
            self.line.send(name)

    def _begins(self, test: str) -> None:
        self._test, self._since = test, time.monotonic()

    def outcome(self, ready: bool) -> Outcome | None:
        """What came of its class, if that is known; ``ready`` is whether it has said something."""
        try:
            said = self.line.recv() if ready else None
        except (EOFError, OSError):
            return self._gone("the process ended")
        if isinstance(said, str):
            self._begins(said)
        elif said is None and time.monotonic() - self._since > _PATIENCE:
            return self._gone(f"nothing came of it in {_PATIENCE:.0f} s")
        return said if isinstance(said, Outcome) else None

    def _gone(self, why: str) -> Outcome:
        """End it and all that it has started."""
        self.lives, pid = False, self._process.pid or 0
        if self.name is None:
            self._process.join(10)
        with contextlib.suppress(OSError):
            os.kill(pid, signal.SIGUSR1)
            time.sleep(0.5)
            os.killpg(pid, signal.SIGKILL)
        self._process.join()
        self.line.close()
        if self.name is None and self._process.exitcode == 0:
            return Outcome()
        return Outcome(self._test, 1, 1, text=f"ERROR: {self._test}: {why}, with {self._process.exitcode}")


def in_processes(order: list[str], count: int) -> Iterator[Outcome]:
    """Run classes in some processes, in an order; their outcomes as they come."""
    # Processes that run kernels at once share the processors between them. A new one has imported kernels, with the
    # module that was started, before anything of ours runs in it.
    os.environ.setdefault("NUMBA_NUM_THREADS", "1")
    ahead, processes = list(order), []
    for _ in range(min(count, len(ahead))):
        processes.append(_Process())
        processes[-1].hand(ahead.pop(0))
    while processes:
        ready = wait([p.line for p in processes], timeout=5)
        for process in list(processes):
            if (outcome := process.outcome(process.line in ready)) is None:
                continue
            if outcome.run:
                yield outcome
            if not process.lives:
                processes.remove(process)
                if not ahead:
                    continue
                process = _Process()
                processes.append(process)
            process.hand(ahead.pop(0) if ahead else None)
