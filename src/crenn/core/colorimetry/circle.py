"""Arcs of the circle of hues, with soft ends, and partitions of it that add up to 1."""

from itertools import pairwise

import numpy as np

from crenn.core.colorimetry.oklab import apart

#: Hues of light, in degrees of Oklab, of the colours that have names; of sRGB's own primaries and their mixtures red,
#: yellow, green, cyan, blue and magenta.
RED, ORANGE, YELLOW, GREEN, CYAN, BLUE, PURPLE, MAGENTA = 29.2, 62.0, 109.8, 142.5, 194.8, 264.1, 312.0, 328.4


def eased(x: np.ndarray) -> np.ndarray:
    """From 0 at 0 to 1 at 1, with no corner at either."""
    x = np.clip(x, 0.0, 1.0)
    return np.asarray(x * x * (3 - 2 * x))


def arc(hue: np.ndarray, middle: float, width: float, soft: float) -> np.ndarray:
    """How far hues belong to an arc, 0 to 1, like them.

    Parameters
    ----------
    hue : ndarray
    middle, width, soft : float
        Degrees: the arc's middle, what of it is taken fully, and over how much it fades at either end.
    """
    beyond = np.abs(apart(hue, middle)) - width / 2
    return 1.0 - eased(beyond / soft)


def parts(hue: np.ndarray, middles: tuple[float, ...]) -> list[np.ndarray]:
    """How far hues belong to each of some that go round the circle, rising, like them; they add up to 1."""
    out = [np.zeros_like(hue) for _ in middles]
    for k, own in enumerate(middles):
        span = (middles[(k + 1) % len(middles)] - own) % 360.0
        beyond = (hue - own) % 360.0
        # From each to the next one goes over into the other.
        share = eased(beyond / span)
        between = beyond < span
        out[k] += between * (1.0 - share)
        out[(k + 1) % len(middles)] += between * share
    return out


def by_stop(stop: np.ndarray, at: tuple[float, ...]) -> list[np.ndarray]:
    """How far stops belong to each of some, rising, like them; they add up to 1. The outermost go on."""
    rises = [eased((stop - low) / (high - low)) for low, high in pairwise(at)]
    shares = [np.ones_like(stop), *rises]
    return [share - after for share, after in zip(shares, [*rises, np.zeros_like(stop)])]
