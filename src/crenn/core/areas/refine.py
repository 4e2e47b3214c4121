"""Masks drawn to the picture's own edges, and softened."""

import cv2
import numba as nb
import numpy as np

from crenn.core.pipeline.planes import LATTICE

#: What a surface varies by itself, in EV: edges that are stronger are followed.
_EDGE = 0.15
#: The mean of a neighbourhood is worked out of so many pixels to each side, at a reduced size where it is wider.
_WIDE = 2
#: Opponent axes count so many times as stops.
_COLOUR = np.float32(6.0)


def reduction(radius: float) -> int:
    """How many times smaller a neighbourhood of a radius in pixels is looked at; a divisor of `LATTICE`."""
    factor = 1
    while factor < LATTICE and radius / (2 * factor) >= _WIDE:
        factor *= 2
    return factor


def refined(share: np.ndarray, guide: np.ndarray, radius: float) -> np.ndarray:
    """A mask whose edge is drawn to that of the light: the fast guided filter (He and Sun 2015), by colour.

    Parameters
    ----------
    share : ndarray, float32 (h, w)
        0 to 1.
    guide : ndarray, float32 (h, w, 3)
        What `crenn.core.areas.appearance.appearance_features` tells of the light.
    radius : float
        How far an edge is drawn, in pixels; less than half a pixel draws nothing.

    Returns
    -------
    ndarray, float32 (h, w)
    """
    if radius < 0.5:
        return share
    factor = reduction(radius)
    height, width = share.shape
    small, target = guide, share
    if factor > 1:
        size = max(width // factor, 1), max(height // factor, 1)
        blocks = np.s_[: size[1] * factor, : size[0] * factor]
        small, target = (cv2.resize(v[blocks], size, interpolation=cv2.INTER_AREA) for v in (guide, share))
    side = 2 * max(round(radius / factor), 1) + 1

    def mean(plane: np.ndarray) -> np.ndarray:
        return cv2.blur(plane, (side, side), borderType=cv2.BORDER_REPLICATE)

    products = np.empty((3, *target.shape, 3), np.float32)
    _products(small, target, products)
    lines = np.empty((*target.shape, 4), np.float32)
    _regressed(*map(mean, products), mean(small), mean(target), np.float32(_EDGE**2), lines)
    told = mean(lines)
    if factor > 1:
        # What is left over beside whole blocks goes on as the last of them.
        back = np.array([[1 / factor, 0, 0.5 / factor - 0.5], [0, 1 / factor, 0.5 / factor - 0.5]])
        flags = cv2.WARP_INVERSE_MAP | cv2.INTER_LINEAR
        told = cv2.warpAffine(told, back, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    out = np.empty(share.shape, np.float32)
    _told(np.ascontiguousarray(told), guide, out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _products(guide, target, out):
    """Products of the guide's channels with each other, and with the target."""
    for y in nb.prange(guide.shape[0]):
        for x in range(guide.shape[1]):
            a, b, c = guide[y, x, 0], _COLOUR * guide[y, x, 1], _COLOUR * guide[y, x, 2]
            t = target[y, x]
            out[0, y, x, 0], out[0, y, x, 1], out[0, y, x, 2] = a * a, a * b, a * c
            out[1, y, x, 0], out[1, y, x, 1], out[1, y, x, 2] = b * b, b * c, c * c
            out[2, y, x, 0], out[2, y, x, 1], out[2, y, x, 2] = a * t, b * t, c * t


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _regressed(firsts, others, with_target, of_guide, of_target, ridge, out):
    """Slopes and rest of the target on the guide, by means of `_products`; solved by cofactors."""
    for y in nb.prange(of_target.shape[0]):
        for x in range(of_target.shape[1]):
            a, b, c = of_guide[y, x, 0], _COLOUR * of_guide[y, x, 1], _COLOUR * of_guide[y, x, 2]
            t = of_target[y, x]
            aa, ab, ac = firsts[y, x, 0] - a * a + ridge, firsts[y, x, 1] - a * b, firsts[y, x, 2] - a * c
            bb, bc, cc = others[y, x, 0] - b * b + ridge, others[y, x, 1] - b * c, others[y, x, 2] - c * c + ridge
            at, bt, ct = with_target[y, x, 0] - a * t, with_target[y, x, 1] - b * t, with_target[y, x, 2] - c * t
            i, j, k = bb * cc - bc * bc, ac * bc - ab * cc, ab * bc - ac * bb
            over = np.float32(1) / max(aa * i + ab * j + ac * k, np.float32(1e-12))
            p, q, r = aa * cc - ac * ac, ab * ac - aa * bc, aa * bb - ab * ab
            one, two = (i * at + j * bt + k * ct) * over, (j * at + p * bt + q * ct) * over
            three = (k * at + q * bt + r * ct) * over
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = one, two, three
            out[y, x, 3] = t - one * a - two * b - three * c


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _told(lines, guide, out):
    """What the lines tell of the guide; a regression leaves ends short of nothing and of all."""
    for y in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            v = lines[y, x, 0] * guide[y, x, 0]
            v += _COLOUR * (lines[y, x, 1] * guide[y, x, 1] + lines[y, x, 2] * guide[y, x, 2])
            v = (v + lines[y, x, 3]) * np.float32(1.1) - np.float32(0.05)
            out[y, x] = min(max(v, np.float32(0)), np.float32(1))
