"""Runs every test and closes with the line `N passed, N failed`."""

import sys
import unittest
from pathlib import Path

from crenn.log import log_nothing
from tests.support import close_shared

ROOT = Path(__file__).resolve().parents[1]


def main() -> int:
    log_nothing()
    loader = unittest.TestLoader()
    names = sys.argv[1:]
    suite = loader.loadTestsFromNames(names) if names else loader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    result = unittest.TextTestRunner(verbosity=2, stream=sys.stdout).run(suite)
    close_shared()
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    print(
        f"{passed} passed, {failed} failed" + (f", {len(result.skipped)} skipped" if result.skipped else ""), flush=True
    )
    return 1 if failed or not result.testsRun else 0


if __name__ == "__main__":
    sys.exit(main())
