"""Resamples planes along a map that is known at nodes, and what is done to light before and after that.

Light is resampled on a scale that is even in it around nothing, and in stops where it is bright: lamps do not ring into
the dark then.
"""

from dataclasses import dataclass
from functools import lru_cache

import numba as nb
import numpy as np

from crenn.core.fastmath import exp2, log2
from crenn.core.render.warp_runs import filter_runs, room_for_runs, runs_of, weigh

#: Nodes of a map lie this many pixels of the window apart.
STEP = 16
#: A filter looks at most so many pixels to each side, however far the light is reduced.
_WIDEST = 12
#: Places of a filter per pixel, and taps that are read at once.
_PER, _TAPS = 256, 8
#: Pixels whose centre is so little outside the scene still show its border: a crop that is pushed to it has some.
_EDGE = 0.1
#: By how many stops a resampled value may overshoot what lies around it.
_OVERSHOOT = np.float32(0.15)
#: Pixels lie side by side in what is read where a step leads by no more than this beside the next one, x and y.
_APART = 0.1, 0.2
#: Border of what is read between the nearest four: of places in the scene none has the very first pixel before it.
AROUND = 2
_CORNER = (-float(AROUND), -float(AROUND))
_ZERO, _ONE = np.float32(0), np.float32(1)
_U = np.uintp


@lru_cache(64)
def filter_of(lobes: int, stretch: float) -> tuple[np.ndarray, int]:
    """A filter at `_PER` places of a pixel, and how many pixels before the one before a place it begins.

    A triangle for one lobe, else Lanczos' (Duchon 1979), stretched for what is reduced; float32 (_PER + 1, n), n a
    multiple of `_TAPS`, each row with a sum of one.
    """
    half = lobes * stretch
    before = int(np.ceil(half)) - 1
    count = -(-2 * (before + 1) // _TAPS) * _TAPS
    places = np.arange(_PER + 1)[:, None] / _PER
    x = np.abs(np.arange(count)[None, :] - before - places) / stretch
    taps = np.clip(1 - x, 0, None) if lobes == 1 else np.sinc(x) * np.sinc(x / lobes) * (x < lobes)
    return (taps / taps.sum(1, keepdims=True)).astype(np.float32), before


def stretched(lobes: int, reduced: float) -> float:
    """By how much a filter is stretched for what is reduced by a factor."""
    return float(np.clip(reduced, 1.0, _WIDEST / lobes))


def compressed(light: np.ndarray, floor: float, to_other: np.ndarray | None = None, border: int = 0) -> np.ndarray:
    """Light (h, w, 3), or other colours that a matrix maps it to, on the compressed scale, float32 (3, h + 2 border,
    w + 2 border).

    ``floor`` is the light around which the scale turns.
    """
    light = np.ascontiguousarray(light, np.float32)
    matrix = np.eye(3, dtype=np.float32) if to_other is None else np.ascontiguousarray(to_other, np.float32)
    out = np.empty((3, light.shape[0] + 2 * border, light.shape[1] + 2 * border), np.float32)
    _compressed(light, matrix, np.float32(floor), out)
    return out


def opened(planes: np.ndarray, floor: float, from_other: np.ndarray | None = None) -> np.ndarray:
    """Light, float32 (h, w, 3), of planes (3, h, w) that `compressed` has made, without a border."""
    matrix = np.eye(3, dtype=np.float32) if from_other is None else np.ascontiguousarray(from_other, np.float32)
    out = np.empty((*planes.shape[1:], 3), np.float32)
    _opened(planes, matrix, np.float32(floor), out)
    return out


@dataclass(frozen=True)
class Map:
    """Where the pixels of a window lie in a scene, and which filter reads them there.

    Attributes
    ----------
    nodes : ndarray, float64 (1 or 3, rows, columns, 2)
        Places in full-size pixels at nodes, `STEP` pixels of the window apart; one map for each colour, or for all.
    start : tuple of float
        x and y of the window's first pixel, in pixels from the first node.
    shape : tuple of int
        (h, w) of the window.
    size : tuple of float
        Width and height of the scene, in full-size pixels.
    per : tuple of float
        Pixels of the level that is read per full-size pixel, x and y.
    lobes : int
        Of the filter: see `filter_of`.
    stretch : float
    """

    nodes: np.ndarray
    start: tuple[float, float]
    shape: tuple[int, int]
    size: tuple[float, float]
    per: tuple[float, float]
    lobes: int
    stretch: float

    def nearest(self, planes: np.ndarray, floor: float) -> np.ndarray:
        """Light between the nearest four places, float32 (h, w, 3), of all of a level and by one map for all colours.

        Planes are on the compressed scale, with a border of `AROUND` pixels. Outside the scene it is black.
        """
        out = np.empty((*self.shape, 3), np.float32)
        _between(planes, self.nodes[0], self.start, self.size, self.per, np.float32(floor), out)
        return out

    @property
    def border(self) -> int:
        """Pixels around what is read that the filter may look at."""
        return filter_of(self.lobes, self.stretch)[0].shape[1] + 1

    def _side_by_side(self) -> bool:
        """Whether most pixels that lie side by side in the window do so in what is read, too, under a filter of six."""
        if self.lobes != 3 or self.stretch > 1:
            return False
        steps = np.median(np.diff(self.nodes, axis=2).reshape(-1, 2), 0) * self.per / STEP
        return bool(abs(steps[0] - 1) < _APART[0] and abs(steps[1]) < _APART[1])

    def through(self, planes: np.ndarray, corner: tuple[int, int]) -> np.ndarray:
        """Planes resampled by the map, float32 (3, h, w); 0 where it leads outside the scene.

        What overshoots all that lies around by more than 0.15 stops is ringing, and held back.

        Parameters
        ----------
        planes : ndarray, float32 (3, H, W)
            On the compressed scale, with a border of `border` pixels around them.
        corner : tuple of int
            Where the planes without their border begin in the level, x and y.
        """
        taps, before = filter_of(self.lobes, self.stretch)
        out = np.empty((len(planes), *self.shape), np.float32)
        left, top = (float(v - self.border) for v in corner)
        beside = self._side_by_side()
        _resampled(planes, self.nodes, self.start, self.size, self.per, (left, top), taps, before, beside, out)
        return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _compressed(light, matrix, floor, out):
    """Colours (h, w, 3) mapped linearly and compressed, as planes with a border to all sides."""
    height, width = light.shape[:2]
    top, left = (out.shape[1] - height) // 2, (out.shape[2] - width) // 2
    per = _ONE / floor
    for y in nb.prange(out.shape[1]):
        row = light[min(max(y - top, 0), height - 1)]
        colours = np.empty((3, width), np.float32)
        for c in range(3):
            for x in range(width):
                colours[c, x] = row[x, c]
        for c in range(3):
            one, two, three = matrix[c, 0], matrix[c, 1], matrix[c, 2]
            line = out[c, y, left : left + width]
            for x in range(width):
                v = one * colours[0, x] + two * colours[1, x] + three * colours[2, x]
                line[x] = np.copysign(log2(_ONE + abs(v) * per), v)
            out[c, y, :left] = line[0]
            out[c, y, left + width :] = line[width - 1]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _opened(planes, matrix, floor, out):
    """Compressed planes as colours (h, w, 3) again, mapped linearly."""
    m = matrix
    for y in nb.prange(out.shape[0]):
        opened = np.empty((3, out.shape[1]), np.float32)
        for c in range(3):
            for x in range(out.shape[1]):
                u = planes[c, y, x]
                # Nothing stays nothing.
                light = (exp2(abs(u)) - _ONE) * floor if u != 0 else _ZERO
                opened[c, x] = np.copysign(light, u)
        for c in range(3):
            one, two, three = m[c, 0], m[c, 1], m[c, 2]
            for x in range(out.shape[1]):
                out[y, x, c] = one * opened[0, x] + two * opened[1, x] + three * opened[2, x]


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _filtered(plane, first, stride, taps, along, down, rows, count):
    """A plane, flat, under a filter whose first tap lies at a place; indices that cannot be negative are faster."""
    total = _ZERO
    for b in range(_U(0), count, _U(_TAPS)):
        c0, c1, c2, c3, c4, c5, c6, c7 = _ZERO, _ZERO, _ZERO, _ZERO, _ZERO, _ZERO, _ZERO, _ZERO
        p = first + b
        for a in range(rows):
            w = taps[down + a]
            c0 += w * plane[p]
            c1 += w * plane[p + _U(1)]
            c2 += w * plane[p + _U(2)]
            c3 += w * plane[p + _U(3)]
            c4 += w * plane[p + _U(4)]
            c5 += w * plane[p + _U(5)]
            c6 += w * plane[p + _U(6)]
            c7 += w * plane[p + _U(7)]
            p += stride
        k = along + b
        total += ((c0 * taps[k] + c1 * taps[k + _U(1)]) + (c2 * taps[k + _U(2)] + c3 * taps[k + _U(3)])) + (
            (c4 * taps[k + _U(4)] + c5 * taps[k + _U(5)]) + (c6 * taps[k + _U(6)] + c7 * taps[k + _U(7)])
        )
    return total


@nb.njit(fastmath=True, error_model="numpy")
def _looked_up(nodes, y, start, size, per, corner, stride, count, near, along, down):
    """For a row of the result: the pixel before each place, and where its taps begin; 0 outside the scene."""
    at = (start[1] + y) / STEP
    i = min(int(at), nodes.shape[0] - 2)
    at -= i
    above, below = nodes[i], nodes[i + 1]
    last = nodes.shape[1] - 2
    for j in range(last + 1):
        ax, ay = above[j, 0] + at * (below[j, 0] - above[j, 0]), above[j, 1] + at * (below[j, 1] - above[j, 1])
        bx = above[j + 1, 0] + at * (below[j + 1, 0] - above[j + 1, 0])
        by = above[j + 1, 1] + at * (below[j + 1, 1] - above[j + 1, 1])
        step_x, step_y = (bx - ax) / STEP, (by - ay) / STEP
        first = max(int(np.ceil(STEP * j - start[0])), 0)
        end = near.size if j == last else min(int(np.ceil(STEP * (j + 1) - start[0])), near.size)
        for x in range(first, end):
            by_x = start[0] + x - STEP * j
            sx, sy = ax + by_x * step_x, ay + by_x * step_y
            if -_EDGE <= sx <= size[0] + _EDGE and -_EDGE <= sy <= size[1] + _EDGE:
                px, py = sx * per[0] - 0.5 - corner[0], sy * per[1] - 0.5 - corner[1]
                column, row = int(px), int(py)
                near[x] = row * stride + column
                along[x] = int((px - column) * _PER + 0.5) * count
                down[x] = int((py - row) * _PER + 0.5) * count
            else:
                near[x] = 0


@nb.njit(fastmath=True, error_model="numpy")
def _filter_places(plane, stride, near, along, down, flat, count, before, out):
    """Filter a row of places out of a plane, flat, one by one; 0 outside the scene."""
    rows, along_row, back = _U(2 * (before + 1)), _U(stride), _U(before * stride + before)
    for x in range(out.size):
        at = _U(near[x])
        if at == 0:
            out[x] = _ZERO
            continue
        value = _filtered(plane, at - back, along_row, flat, _U(along[x]), _U(down[x]), rows, _U(count))
        # What overshoots its nearest neighbours by more than a texture would is ringing.
        one, two = plane[at], plane[at + _U(1)]
        three, four = plane[at + along_row], plane[at + along_row + _U(1)]
        low, high = min(min(one, two), min(three, four)), max(max(one, two), max(three, four))
        out[x] = min(max(value, low - _OVERSHOOT), high + _OVERSHOOT)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _resampled(planes, nodes, start, size, per, corner, taps, before, side_by_side, out):
    """Filter each place out of planes that start at a corner, x and y, of their level; 0 outside the scene.

    ``nodes`` has a map for each plane, or one for all. Pixels may lie ``side_by_side`` where nothing is reduced.
    """
    tall, stride, count = planes.shape[1], planes.shape[2], taps.shape[1]
    flat = taps.ravel()
    for y in nb.prange(out.shape[1]):
        near = np.empty(out.shape[2], np.uint32)
        along, down = np.zeros_like(near), np.zeros_like(near)
        wx, wy, fresh, begins, told = room_for_runs(near.size)
        runs = 0
        for k in range(nodes.shape[0]):
            _looked_up(nodes[k], y, start, size, per, corner, stride, count, near, along, down)
            if side_by_side:
                runs = runs_of(near, fresh, begins)
                weigh(flat, along, wx)
                weigh(flat, down, wy)
            first, end = (k, k + 1) if nodes.shape[0] > 1 else (0, planes.shape[0])
            for c in range(first, end):
                plane, line = planes[c].reshape(tall * stride), out[c, y]
                if side_by_side:
                    filter_runs(plane, stride, near, runs, begins, wx, wy, _OVERSHOOT, told)
                    line[:] = told[: line.size]
                else:
                    _filter_places(plane, stride, near, along, down, flat, count, before, line)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _between(planes, nodes, start, size, per, floor, out):
    """Light at each place between the nearest four of compressed planes."""
    tall, stride = planes.shape[1], planes.shape[2]
    share = np.float32(1.0 / _PER)
    below, both = _U(stride), _U(stride + 1)
    for y in nb.prange(out.shape[0]):
        near = np.empty(out.shape[1], np.uint32)
        along, down = np.empty_like(near), np.empty_like(near)
        opened = np.empty(out.shape[1], np.float32)
        _looked_up(nodes, y, start, size, per, _CORNER, stride, 1, near, along, down)
        for c in range(3):
            plane = planes[c].reshape(tall * stride)
            for x in range(out.shape[1]):
                at = _U(near[x])
                u, v = np.float32(along[x]) * share, np.float32(down[x]) * share
                one = plane[at] + u * (plane[at + _U(1)] - plane[at])
                two = plane[at + below] + u * (plane[at + both] - plane[at + below])
                opened[x] = (one + v * (two - one)) if at > 0 else _ZERO
            for x in range(out.shape[1]):
                w = opened[x]
                opened[x] = np.copysign((exp2(abs(w)) - _ONE) * floor if w != 0 else _ZERO, w)
            for x in range(out.shape[1]):
                out[y, x, c] = opened[x]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def placed(nodes, start, unit, xs, ys):
    """Put to ``xs`` and ``ys``, float32 (h, w), where the pixels of a window lie, in pixels times ``unit``.

    Parameters
    ----------
    nodes : ndarray, float64 (rows, columns, 2)
    start : tuple of float
        As of `Map`.
    unit : float
    xs, ys : ndarray
    """
    last = nodes.shape[1] - 2
    for y in nb.prange(xs.shape[0]):
        at = (start[1] + y) / STEP
        i = min(int(at), nodes.shape[0] - 2)
        at -= i
        for j in range(last + 1):
            ax = nodes[i, j, 0] + at * (nodes[i + 1, j, 0] - nodes[i, j, 0])
            ay = nodes[i, j, 1] + at * (nodes[i + 1, j, 1] - nodes[i, j, 1])
            bx = nodes[i, j + 1, 0] + at * (nodes[i + 1, j + 1, 0] - nodes[i, j + 1, 0])
            by = nodes[i, j + 1, 1] + at * (nodes[i + 1, j + 1, 1] - nodes[i, j + 1, 1])
            step_x, step_y = unit * (bx - ax) / STEP, unit * (by - ay) / STEP
            first = max(int(np.ceil(STEP * j - start[0])), 0)
            end = xs.shape[1] if j == last else min(int(np.ceil(STEP * (j + 1) - start[0])), xs.shape[1])
            for x in range(first, end):
                along = start[0] + x - STEP * j
                xs[y, x], ys[y, x] = np.float32(unit * ax + along * step_x), np.float32(unit * ay + along * step_y)


@nb.njit(fastmath=True, error_model="numpy")
def _factors(gains, y, start, out):
    """By which a row is brightened, of EV at nodes."""
    at = (start[1] + y) / STEP
    i = min(int(at), gains.shape[0] - 2)
    at -= i
    for j in range(gains.shape[1] - 1):
        one = gains[i, j] + at * (gains[i + 1, j] - gains[i, j])
        two = gains[i, j + 1] + at * (gains[i + 1, j + 1] - gains[i, j + 1])
        first = max(int(np.ceil(STEP * j - start[0])), 0)
        end = out.size if j == gains.shape[1] - 2 else min(int(np.ceil(STEP * (j + 1) - start[0])), out.size)
        for x in range(first, end):
            out[x] = np.float32(one + (start[0] + x - STEP * j) * (two - one) / STEP)
    for x in range(out.size):
        out[x] = exp2(out[x])


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def lift(gains, start, light):
    """Brighten light, (h, w, 3), by EV known at nodes, float32 (rows, columns), in place."""
    for y in nb.prange(light.shape[0]):
        factors = np.empty(light.shape[1], np.float32)
        _factors(gains, y, start, factors)
        for x in range(light.shape[1]):
            for c in range(light.shape[2]):
                light[y, x, c] *= factors[x]
