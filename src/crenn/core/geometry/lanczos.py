"""Lanczos' filter: what six neighbours give to a place between them."""

from functools import cache

import numpy as np

#: Taps of the windowed sinc (Duchon 1979) with three lobes; it keeps detail up to nearly the sampling limit.
TAPS = 6
PHASES = 1024


@cache
def lanczos() -> np.ndarray:
    """Weights of the taps at each phase, float32 (PHASES + 1, TAPS); each row sums to 1."""
    phase = np.arange(PHASES + 1)[:, None] / PHASES
    x = phase - (np.arange(TAPS) - TAPS // 2 + 1)
    weights = np.sinc(x) * np.sinc(x / 3) * (np.abs(x) < 3)
    return np.ascontiguousarray(weights / weights.sum(1, keepdims=True), np.float32)
