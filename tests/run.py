"""Runs every test, in several processes, and closes with the line `N passed, N failed`.

`python -m tests.run [NAME ...]` runs some, in this process. Classes are handed out one by one, the longest known first;
what a process shares (the database's cluster, the browser, merged scenes) is made once in each.
"""

import contextlib
import io
import json
import os
import sys
import time
import traceback
import unittest
from concurrent.futures import BrokenExecutor, ProcessPoolExecutor, as_completed
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path

from crenn.log import log_nothing

ROOT = Path(__file__).resolve().parents[1]
#: Seconds that each class took last time.
_TIMES = ROOT / "var" / "test-times.json"
_SLOWEST = 10
#: One more than this machine has cores: a test that waits for a browser, a worker or a database leaves one to others.
_PROCESSES = (os.cpu_count() or 2) + 1


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
    """Counts a test that fails in several subtests once, and takes its time."""

    def __init__(self, *args, **more):
        super().__init__(*args, **more)
        self.times: dict[str, float] = {}
        self._began = 0.0

    def startTest(self, test):  # noqa: N802
        super().startTest(test)
        self._began = time.perf_counter()

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


def _begin() -> None:
    log_nothing()
    # Processes that run kernels at once share the processors between them.
    os.environ.setdefault("NUMBA_NUM_THREADS", "1")


def _stop() -> None:
    from tests.support import close_shared

    close_shared()


def _classes(suite) -> set[str]:
    if isinstance(suite, unittest.TestSuite):
        return set().union(*(_classes(s) for s in suite)) if suite.countTestCases() else set()
    if isinstance(suite, unittest.loader._FailedTest):  # type: ignore[attr-defined]
        # A module that cannot be imported is asked for again by its name, and fails again.
        return {suite._testMethodName}
    return {f"{type(suite).__module__}.{type(suite).__qualname__}"}


def _in_processes() -> list[Outcome]:
    found = unittest.defaultTestLoader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    known = json.loads(_TIMES.read_text()) if _TIMES.exists() else {}
    # What is not known may be long.
    order = sorted(_classes(found), key=lambda n: (-known.get(n, 60.0), n))
    outcomes = []
    with ProcessPoolExecutor(_PROCESSES, mp_context=get_context("spawn"), initializer=_begin) as pool:
        running = {pool.submit(_one_class, n): n for n in order}
        for done in as_completed(running):
            try:
                outcomes.append(done.result())
            except BrokenExecutor as fault:
                outcomes.append(
                    Outcome(running[done], 1, 1, text=f"ERROR: {running[done]}: its process ended: {fault}")
                )
            print(outcomes[-1].text, flush=True)
        # Each process ends what it shares.
        with contextlib.suppress(BrokenExecutor):
            for done in [pool.submit(_stop) for _ in range(_PROCESSES)]:
                done.result()
    _TIMES.parent.mkdir(exist_ok=True)
    _TIMES.write_text(json.dumps({o.name: round(sum(o.times.values()), 2) for o in outcomes}))
    return outcomes


def main() -> int:
    began = time.perf_counter()
    if names := sys.argv[1:]:
        log_nothing()
        suite = unittest.defaultTestLoader.loadTestsFromNames(names)
        outcomes = [run("", suite, sys.stdout)]
        _stop()
    else:
        outcomes = _in_processes()
    times = {name: seconds for o in outcomes for name, seconds in o.times.items()}
    slowest = sorted(times.items(), key=lambda t: -t[1])[:_SLOWEST]
    print("The slowest tests:")
    for name, seconds in slowest:
        print(f"  {seconds:6.1f} s  {name}")
    print(f"All took {time.perf_counter() - began:.0f} s.")
    failed, skipped = sum(o.failed for o in outcomes), sum(o.skipped for o in outcomes)
    passed = sum(o.run for o in outcomes) - failed - skipped
    if skipped:
        print(f"{skipped} were skipped.")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main())
