"""The picture plane: the scene's light read through the frame, for any window at any size."""

from collections.abc import Callable
from dataclasses import replace
from functools import cache

import cv2
import numba as nb
import numpy as np

from crenn.core.fastmath import exp2, log2, single
from crenn.core.noise.layers import CHANNELS, FURTHER, STARS, TAKEN
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.render.cache import Cache
from crenn.core.render.source import Source
from crenn.core.render.view import View
from crenn.core.render.window import Window

#: Nodes of the map lie this many pixels of the window apart.
STEP = 16
#: Entries of the filter's table per pixel.
_PER = 256
#: A filter looks at most so many pixels to each side, however far the light is reduced.
_WIDEST = 12
#: Lobes of the fine filter, and of that for reduced views, which are averaged anyway.
_LOBES, _LOBES_REDUCED = 3, 2
#: Levels of at most so many pixels are kept on the compressed scale, for geometry that is dragged.
_SMALL = 2_500_000
#: Pixels whose centre is so little outside the scene still show its border: a crop that is pushed to it has some.
_EDGE = 0.1
#: By how many stops a resampled value may overshoot what lies around it.
_OVERSHOOT = np.float32(0.15)


@cache
def _filter(lobes: int) -> np.ndarray:
    """A filter over the distance in pixels, float32: a triangle for one lobe, else Lanczos' (Duchon 1979)."""
    x = np.arange(lobes * _PER + 2) / _PER
    taps = np.clip(1 - x, 0, None) if lobes == 1 else np.sinc(x) * np.sinc(x / lobes) * (x < lobes)
    return taps.astype(np.float32)


def nodes_of(frame: PictureGeometry, window: Window, channels: int) -> np.ndarray:
    """The map of a window at its nodes, to pixels of the scene, float64 (channels, rows, columns, 2).

    Nodes lie on a lattice from the picture's corner, at multiples of `STEP` pixels of the window's scale: windows of
    one scale share them.
    """
    per_x, per_y = window.width / window.out_width, window.height / window.out_height
    first_x, first_y = (int(np.floor(v / STEP)) for v in (window.x / per_x, window.top))
    last_x = int(np.floor((window.x / per_x + window.out_width) / STEP)) + 1
    last_y = int(np.floor((window.top + window.out_height) / STEP)) + 1
    x, y = np.meshgrid(np.arange(first_x, last_x + 1) * (STEP * per_x), np.arange(first_y, last_y + 1) * (STEP * per_y))
    points = np.stack([x.ravel(), y.ravel()], -1)
    kinds = range(channels) if channels > 1 else (1,)
    return np.stack([frame.to_scene(points, c).reshape(*x.shape, 2) for c in kinds])


@nb.njit(inline="always", fastmath=True)
def _place(nodes, x, y):
    """Where a place lies that is given in steps from the first node."""
    j = min(max(int(np.floor(x)), 0), nodes.shape[1] - 2)
    i = min(max(int(np.floor(y)), 0), nodes.shape[0] - 2)
    fx, fy = x - j, y - i
    sx = (1 - fy) * ((1 - fx) * nodes[i, j, 0] + fx * nodes[i, j + 1, 0]) + fy * (
        (1 - fx) * nodes[i + 1, j, 0] + fx * nodes[i + 1, j + 1, 0]
    )
    sy = (1 - fy) * ((1 - fx) * nodes[i, j, 1] + fx * nodes[i, j + 1, 1]) + fy * (
        (1 - fx) * nodes[i + 1, j, 1] + fx * nodes[i + 1, j + 1, 1]
    )
    return sx, sy


@nb.njit(parallel=True, cache=True, nogil=True)
def _places(nodes, start_x, start_y, step, unit, xs, ys):
    for y in nb.prange(xs.shape[0]):
        for x in range(xs.shape[1]):
            sx, sy = _place(nodes, (start_x + x) / step, (start_y + y) / step)
            xs[y, x], ys[y, x] = sx * unit, sy * unit


def translated(window: Window, offset: tuple[int, int]) -> Window:
    """A window of a picture that begins at an offset, as one of the scene."""
    return replace(window, x=window.x + offset[0], y=window.y + offset[1])


def places(frame: PictureGeometry, window: Window, unit: float, colour: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """Where the pixels of a window lie in the scene: x and y, float32 (h, w), full-size pixels times ``unit``.

    A lens may draw each ``colour`` elsewhere; green, 1, speaks for all.
    """
    nodes = nodes_of(frame, window, 3)[colour] if colour != 1 else nodes_of(frame, window, 1)[0]
    xs = np.empty((window.out_height, window.out_width), np.float32)
    ys = np.empty_like(xs)
    _places(nodes, *_starts(window), float(STEP), unit, xs, ys)
    return xs, ys


def _starts(window: Window) -> tuple[float, float]:
    """The centre of a window's first pixel, in pixels from its first node."""
    left, top = window.x * window.out_width / window.width, window.top
    return left - np.floor(left / STEP) * STEP + 0.5, top - np.floor(top / STEP) * STEP + 0.5


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _compressed(light, floor, out):
    """Light on a scale that is even in it around nothing, and in stops where it is bright."""
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            for c in range(3):
                v = light[y, x, c]
                u = log2(np.float32(1) + abs(v) / floor)
                out[y, x, c] = -u if v < 0 else u


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _opened(compressed, floor, out):
    """Light again, in place of its compressed scale."""
    for y in nb.prange(compressed.shape[0]):
        for x in range(compressed.shape[1]):
            for c in range(compressed.shape[2]):
                u = compressed[y, x, c]
                light = (exp2(abs(u)) - np.float32(1)) * floor if u != 0 else np.float32(0)
                out[y, x, c] = -light if u < 0 else light


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _lifted(gains, start_x, start_y, step, light):
    """Brighten light by EV known at nodes, in place."""
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            j = min(max(int(np.floor((start_x + x) / step)), 0), gains.shape[1] - 2)
            i = min(max(int(np.floor((start_y + y) / step)), 0), gains.shape[0] - 2)
            fx, fy = (start_x + x) / step - j, (start_y + y) / step - i
            ev = (1 - fy) * ((1 - fx) * gains[i, j, 0] + fx * gains[i, j + 1, 0]) + fy * (
                (1 - fx) * gains[i + 1, j, 0] + fx * gains[i + 1, j + 1, 0]
            )
            factor = exp2(np.float32(ev))
            for c in range(light.shape[2]):
                light[y, x, c] *= factor


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _mixed(light, matrix):
    """Map colours linearly, in place."""
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            r, g, b = light[y, x, 0], light[y, x, 1], light[y, x, 2]
            for c in range(3):
                light[y, x, c] = matrix[c, 0] * r + matrix[c, 1] * g + matrix[c, 2] * b


@nb.njit(inline="always", fastmath=True)
def _weights(at, first, stretch, taps, out):
    """Weights of taps from ``first`` on about a place, which sum to one."""
    total = np.float32(0)
    for a in range(out.size):
        distance = abs(np.float32(first + a - at)) / stretch
        out[a] = taps[min(int(distance * _PER + np.float32(0.5)), taps.size - 1)]
        total += out[a]
    share = np.float32(1) / total
    for a in range(out.size):
        out[a] *= share


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _resample(image, nodes, start_x, start_y, step, size_x, size_y, per_x, per_y, left, top, stretch, taps, lobes, out):
    """Filter each place out of a compressed image that starts at (left, top) of its level; 0 outside the scene."""
    height, width = image.shape[0], image.shape[1]
    half = np.float32(lobes) * stretch
    count = int(np.ceil(2 * half)) + 1
    many = nodes.shape[0] > 1
    flat = image.reshape(height, 3 * width)
    for y in nb.prange(out.shape[0]):
        wx, wy = np.empty(count, np.float32), np.empty(count, np.float32)
        column, rows = np.empty(3 * count, np.float32), np.empty(count, np.int64)
        for x in range(out.shape[1]):
            for k in range(nodes.shape[0]):
                first, last = (k, k + 1) if many else (0, 3)
                sx, sy = _place(nodes[k], (start_x + x) / step, (start_y + y) / step)
                if not (-_EDGE <= sx <= size_x + _EDGE and -_EDGE <= sy <= size_y + _EDGE):
                    for c in range(first, last):
                        out[y, x, c] = np.float32(0)
                    continue
                px, py = sx * per_x - 0.5 - left, sy * per_y - 0.5 - top
                x0, y0 = int(np.ceil(px - half)), int(np.ceil(py - half))
                _weights(px, x0, stretch, taps, wx)
                _weights(py, y0, stretch, taps, wy)
                for a in range(count):
                    rows[a] = min(max(y0 + a, 0), height - 1)
                # First along the columns, a stretch of memory at a time, then across.
                if x0 >= 0 and x0 + count <= width:
                    begin = 3 * x0
                    for a in range(count):
                        line, w = flat[rows[a]], wy[a]
                        if a == 0:
                            for i in range(3 * count):
                                column[i] = w * line[begin + i]
                        else:
                            for i in range(3 * count):
                                column[i] += w * line[begin + i]
                else:
                    for i in range(count):
                        at = min(max(x0 + i, 0), width - 1)
                        for c in range(3):
                            column[3 * i + c] = np.float32(0)
                            for a in range(count):
                                column[3 * i + c] += wy[a] * image[rows[a], at, c]
                red, green, blue = np.float32(0), np.float32(0), np.float32(0)
                for i in range(count):
                    red += wx[i] * column[3 * i]
                    green += wx[i] * column[3 * i + 1]
                    blue += wx[i] * column[3 * i + 2]
                near_x, near_y = int(np.floor(px)), int(np.floor(py))
                x1, x2 = min(max(near_x, 0), width - 1), min(max(near_x + 1, 0), width - 1)
                y1, y2 = min(max(near_y, 0), height - 1), min(max(near_y + 1, 0), height - 1)
                for c in range(first, last):
                    value = red if c == 0 else green if c == 1 else blue
                    # What overshoots its nearest neighbours by more than a texture would is ringing.
                    one, two, three, four = image[y1, x1, c], image[y1, x2, c], image[y2, x1, c], image[y2, x2, c]
                    low, high = min(min(one, two), min(three, four)), max(max(one, two), max(three, four))
                    out[y, x, c] = min(max(value, low - _OVERSHOOT), high + _OVERSHOOT)


def _by_four(part: np.ndarray, done: Callable[[np.ndarray], np.ndarray]) -> np.ndarray:
    """What OpenCV does to a picture (h, w, C), which takes at most four channels at once."""
    channels = part.shape[2]
    if channels <= 4:
        return done(part)
    pieces = [done(np.ascontiguousarray(part[..., c : c + 4])) for c in range(0, channels, 4)]
    return np.concatenate([p.reshape(*p.shape[:2], -1) for p in pieces], -1)


def _floor_of(source: Source) -> np.float32:
    """Light around which the compressed scale turns."""
    return np.float32(max(source.floor, 1e-9))


class Framed:
    """Reads sources through frames; levels on the compressed scale are kept."""

    def __init__(self, cache: Cache):
        self._cache = cache

    def light(self, view: View) -> np.ndarray:
        """The light of a view, float32 (h, w, 3).

        A frame that only cuts is read as it lies. Any other is resampled once, on a logarithmic scale: by Lanczos'
        filter, with three lobes at full size and two in reduced views, that may overshoot by 0.15 stops, so that lamps
        do not ring into the dark; a view that is not fine is quicker, between the nearest four. Places outside the
        scene are black. What a lens has taken from the corners is given back.
        """
        source = view.source
        if view.frame.offset is not None:
            level = source.level_for(view.scale)
            out = _straight(source.read, level, source.level_size(level), source.size, _in_scene(view))
        else:
            out = self._warped(view)
        if (gains := _falloff_at_nodes(view)) is not None:
            _lifted(gains, *_starts(view.window), float(STEP), out)
        return out

    def sampled(self, view: View, name: str) -> np.ndarray:
        """A plane of the source, (h, w) or (h, w, C), nearest to the places of a view's pixels; 0 outside the scene."""
        height, width = view.source.size
        xs, ys = places(view.frame, view.window, 1.0)
        columns, rows = np.floor(xs).astype(np.int64), np.floor(ys).astype(np.int64)
        outside = (columns < 0) | (rows < 0) | (columns >= width) | (rows >= height)
        rows, columns = np.clip(rows, 0, height - 1), np.clip(columns, 0, width - 1)
        top, left = int(rows.min()), int(columns.min())
        part = view.source.plane(name, slice(top, int(rows.max()) + 1), slice(left, int(columns.max()) + 1))
        found = np.asarray(part[rows - top, columns - left])
        if outside.any() and view.frame.offset is None:
            found[outside] = 0
        return found

    def layers(self, view: View) -> np.ndarray:
        """The noise layers of a view, float32 (h, w, CHANNELS): resampled as the light of `light` is, or nearly."""
        source = view.source
        if view.frame.offset is not None:
            level = source.level_for(view.scale)
            out = _straight(source.read_noise, level, source.noise_size(level), source.size, _in_scene(view))
        else:
            out = _layers_warped(view)
        if (gains := _falloff_at_nodes(view)) is not None:
            for part in (TAKEN, FURTHER):
                lifted = np.ascontiguousarray(out[..., part])
                _lifted(gains, *_starts(view.window), float(STEP), lifted)
                out[..., part] = lifted
        return out

    def _compressed(self, source: Source, level: int) -> np.ndarray:
        """A level of a source on the compressed scale, float32 (H, W, 3); kept if it is small."""

        def make(level: int) -> np.ndarray:
            out = np.array(source.read(level))
            _compressed(out, _floor_of(source), out)
            return out

        return self._cache.get(source, "compressed", (level,), make)

    def _warped(self, view: View) -> np.ndarray:
        source, frame, window, fine = view.source, view.frame, view.window, view.fine
        floor = _floor_of(source)
        level = source.level_for(window.scale)
        height, width = source.level_size(level)
        per_y, per_x = height / source.size[0], width / source.size[1]
        out = np.empty((window.out_height, window.out_width, 3), np.float32)
        lens = frame.lens
        by_colour = lens is not None and lens.by_colour
        # Colours that lie apart by a fraction of a pixel are told apart at full size alone.
        together = not by_colour or window.scale < 1
        if not fine and together and height * width <= _SMALL:
            xs, ys = places(frame, window, 1.0)
            outside = _outside(xs, ys, source.size)
            maps = xs * np.float32(per_x) - np.float32(0.5), ys * np.float32(per_y) - np.float32(0.5)
            compressed = self._compressed(source, level)
            found = cv2.remap(compressed, *maps, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
            found[outside] = 0
            _opened(found, floor, out)
            return out
        lobes = (_LOBES if window.scale >= 1 else _LOBES_REDUCED) if fine else 1
        nodes = nodes_of(frame, window, 3 if by_colour else 1)
        stretch = float(np.clip(per_x / window.scale, 1.0, _WIDEST / lobes))
        margin = int(np.ceil(lobes * stretch)) + 2
        # Only what lies inside is read: an edge of the scene is repeated by the kernel, which must know where it is.
        low = np.floor(nodes.min((0, 1, 2)) * (per_x, per_y)).astype(int) - margin
        high = np.ceil(nodes.max((0, 1, 2)) * (per_x, per_y)).astype(int) + margin
        rows, columns = _bounded(low, high, (height, width))
        # A lens draws the sensor's colours apart, of which the light's are mixtures.
        to_camera = np.asarray(lens.to_camera, np.float32) if lens is not None and lens.by_colour else None
        if height * width <= _SMALL and to_camera is None:
            part = np.ascontiguousarray(self._compressed(source, level)[rows, columns])
        else:
            part = np.array(source.read(level, rows, columns))
            if to_camera is not None:
                _mixed(part, to_camera)
            _compressed(part, floor, part)
        _resample(
            part,
            nodes,
            *_starts(window),
            float(STEP),
            float(source.size[1]),
            float(source.size[0]),
            per_x,
            per_y,
            columns.start,
            rows.start,
            np.float32(stretch),
            _filter(lobes),
            lobes,
            out,
        )
        _opened(out, floor, out)
        if to_camera is not None:
            _mixed(out, np.asarray(np.linalg.inv(to_camera), np.float32))
        return out


def _in_scene(view: View) -> Window:
    """The window of a view whose frame only cuts, as one of the scene."""
    assert view.frame.offset is not None
    return translated(view.window, view.frame.offset)


def _falloff_at_nodes(view: View) -> np.ndarray | None:
    """EV that a lens has taken at the nodes of a view's map, float32 (rows, columns, 1); None if it has taken none."""
    if not view.frame.fades:
        return None
    nodes = nodes_of(view.frame, view.window, 1)[0]
    return np.asarray(view.frame.falloff_at(nodes.reshape(-1, 2)).reshape(*nodes.shape[:2], 1), np.float32)


def _outside(xs: np.ndarray, ys: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Which places, in pixels, lie outside a scene of size (H, W)."""
    return (xs < -_EDGE) | (ys < -_EDGE) | (xs > size[1] + _EDGE) | (ys > size[0] + _EDGE)


def _bounded(low: np.ndarray, high: np.ndarray, size: tuple[int, int]) -> tuple[slice, slice]:
    """Rows and columns of an array of size (h, w) from a place (x, y) up to another: one pixel at least."""
    height, width = size
    left, top = (int(np.clip(v, 0, n - 1)) for v, n in zip(low, (width, height)))
    right, bottom = (int(np.clip(v, 1, n)) for v, n in zip(high, (width, height)))
    return slice(top, max(bottom, top + 1)), slice(left, max(right, left + 1))


def _layers_warped(view: View) -> np.ndarray:
    source, window, lens = view.source, view.window, view.frame.lens
    level = source.level_for(window.scale)
    size = source.noise_size(level)
    per_x, per_y = size[1] / source.size[1], size[0] / source.size[0]
    by_colour = lens is not None and lens.by_colour and window.scale >= 1
    maps = [places(view.frame, window, 1.0, c) for c in ((0, 1, 2) if by_colour else (1,))]
    low = np.floor(np.min([[x.min(), y.min()] for x, y in maps], 0) * (per_x, per_y)).astype(int) - 6
    high = np.ceil(np.max([[x.max(), y.max()] for x, y in maps], 0) * (per_x, per_y)).astype(int) + 6
    rows, columns = _bounded(low, high, size)
    part = single(source.read_noise(level, rows, columns))
    # A lens draws the sensor's colours apart, of which the light's are mixtures.
    to_camera = np.asarray(lens.to_camera, np.float32) if lens is not None and by_colour else None
    if to_camera is not None:
        for colours in (TAKEN, FURTHER):
            part[..., colours] = part[..., colours] @ to_camera.T
    out = np.empty((*view.shape, CHANNELS), np.float32)
    kind = cv2.INTER_LANCZOS4 if view.fine and window.scale >= 1 else cv2.INTER_LINEAR
    left, top = columns.start, rows.start
    own = [
        (x * np.float32(per_x) - np.float32(left + 0.5), y * np.float32(per_y) - np.float32(top + 0.5)) for x, y in maps
    ]
    for channel in range(CHANNELS):
        x, y = own[channel % 3 if by_colour and channel != STARS else len(own) // 2]
        plane = np.ascontiguousarray(part[..., channel])
        out[..., channel] = cv2.remap(plane, x, y, kind, borderMode=cv2.BORDER_REPLICATE)
    if to_camera is not None:
        back = np.linalg.inv(to_camera)
        for colours in (TAKEN, FURTHER):
            out[..., colours] = out[..., colours] @ back.T
    x, y = maps[len(maps) // 2]
    out[_outside(x, y, source.size)] = 0
    return out


def _straight(
    read: Callable[[int, slice, slice], np.ndarray],
    level: int,
    level_size: tuple[int, int],
    size: tuple[int, int],
    window: Window,
) -> np.ndarray:
    """A window of a scene of size (H, W) as it lies, float32 (h, w, C), read from a level of light or of noise."""
    height, width = level_size
    fy, fx = height / size[0], width / size[1]
    x0, y0 = window.x * fx, window.y * fy
    w, h = window.width * fx, window.height * fy
    left, top = max(int(np.floor(x0)), 0), max(int(np.floor(y0)), 0)
    right, bottom = min(int(np.ceil(x0 + w)), width), min(int(np.ceil(y0 + h)), height)
    rows, columns = slice(top, max(bottom, top + 1)), slice(left, max(right, left + 1))
    # A copy, in memory and writable: kernels would be compiled a second time for the read-only kind on disk.
    found = read(level, rows, columns)
    part = single(found) if found.dtype == np.float16 else np.array(found, np.float32)
    if part.shape[:2] == (window.out_height, window.out_width) and x0 == left and y0 == top:
        return part
    # The window seldom falls on whole pixels of the level: the map from result to level says where.
    sx, sy = w / window.out_width, h / window.out_height
    out_size = (window.out_width, window.out_height)
    if (
        sx > 1.0
        and abs(x0 - left) < 1e-6
        and abs(y0 - top) < 1e-6
        and right - left == round(w)
        and bottom - top == round(h)
    ):
        return _by_four(part, lambda p: cv2.resize(p, out_size, interpolation=cv2.INTER_AREA))
    shift = np.array([[sx, 0, x0 - left + sx / 2 - 0.5], [0, sy, y0 - top + sy / 2 - 0.5]])
    flags = cv2.WARP_INVERSE_MAP | (cv2.INTER_LINEAR if sx > 0.5 else cv2.INTER_NEAREST)
    return _by_four(part, lambda p: cv2.warpAffine(p, shift, out_size, flags=flags, borderMode=cv2.BORDER_REPLICATE))
