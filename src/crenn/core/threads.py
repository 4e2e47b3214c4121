"""How many threads may run kernels at once, each of which uses several processors."""

import importlib
from functools import cache

import numba as nb


@cache
def _side_by_side() -> bool:
    """Whether parallel kernels may be called from several threads at once.

    Numba's own pool of threads, which it takes where neither OpenMP nor TBB is installed, ends the process then.
    """
    for name in ("tbbpool", "omppool"):
        try:
            importlib.import_module(f"numba.np.ufunc.{name}")
        except ImportError:
            continue
        return True
    return False


def kernels_at_once(most: int) -> int:
    """How many threads may run parallel kernels at once: ``most``, no more than there are processors, or one."""
    return min(most, nb.config.NUMBA_NUM_THREADS) if _side_by_side() else 1
