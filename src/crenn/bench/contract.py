"""The API against its own description, with many more examples than its test asks."""

import os
import subprocess
import sys
import time
from pathlib import Path

from crenn.bench.table import Table
from crenn.core.errors import CrennError

_PROJECT = Path(__file__).resolve().parents[3]
#: Requests made of each operation.
EXAMPLES = 30


def bench() -> list[Table]:
    """Ask every operation; what does not keep to its description ends the bench.

    Raises
    ------
    CrennError
        If any does not, or what tests need is not installed.
    """
    began = time.perf_counter()
    done = subprocess.run(
        [sys.executable, "-m", "tests.run", "tests.api.test_contract"],
        cwd=_PROJECT,
        env=os.environ | {"CRENN_CONTRACT_EXAMPLES": str(EXAMPLES)},
        capture_output=True,
        text=True,
    )
    if done.returncode:
        raise CrennError(f"The API does not keep to its description: {done.stdout[-2000:]}{done.stderr[-500:]}")
    table = Table("Contract: every operation keeps to its description", ("examples each", "seconds"))
    table.add("all operations", EXAMPLES, time.perf_counter() - began)
    return [table]
