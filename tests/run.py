"""Runs every test, in several processes, and closes with the line `N passed, N failed`.

`python -m tests.run [NAME ...]` runs some, in this process. Classes are handed out one by one, the longest known first;
what a process shares (the database's cluster, the browser, merged scenes) is made once in each.
"""

import json
import os
import sys
import time
import unittest
from pathlib import Path

from crenn.log import log_nothing
from tests.processes import Outcome, in_processes, run
from tests.support import close_shared

ROOT = Path(__file__).resolve().parents[1]
#: Seconds that each class took last time.
_TIMES = ROOT / "var" / "test-times.json"
_SLOWEST = 10
#: One more than this machine has cores: a test that waits for a browser, a worker or a database leaves one to others.
_PROCESSES = (os.cpu_count() or 2) + 1
#: What is not known may be long: most of all what checks all the code, or drives the browser.
_UNKNOWN = {"tests.test_habits": 200.0, "tests.e2e": 100.0, "tests.test_": 90.0, "tests.api": 60.0}


def _classes(suite) -> set[str]:
    if isinstance(suite, unittest.TestSuite):
        return set().union(*(_classes(s) for s in suite)) if suite.countTestCases() else set()
    if isinstance(suite, unittest.loader._FailedTest):  # type: ignore[attr-defined]
        # A module that cannot be imported is asked for again by its name, and fails again.
        return {suite._testMethodName}
    return {f"{type(suite).__module__}.{type(suite).__qualname__}"}


def _expected(name: str, known: dict[str, float]) -> float:
    """Seconds that a class may take."""
    return known.get(name) or next((s for part, s in _UNKNOWN.items() if name.startswith(part)), 30.0)


def _all() -> list[Outcome]:
    found = unittest.defaultTestLoader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    known = json.loads(_TIMES.read_text()) if _TIMES.exists() else {}
    outcomes = []
    for outcome in in_processes(sorted(_classes(found), key=lambda n: (-_expected(n, known), n)), _PROCESSES):
        print(outcome.text, flush=True)
        outcomes.append(outcome)
    _TIMES.parent.mkdir(exist_ok=True)
    _TIMES.write_text(json.dumps({o.name: round(sum(o.times.values()), 2) for o in outcomes}))
    return outcomes


def main() -> int:
    began = time.perf_counter()
    if names := sys.argv[1:]:
        log_nothing()
        outcomes = [run("", unittest.defaultTestLoader.loadTestsFromNames(names), sys.stdout)]
        close_shared()
    else:
        outcomes = _all()
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
