"""The picture plane: the scene's light read through the frame, for any window at any size."""

from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np

from crenn.core.fastmath import single
from crenn.core.noise.layers import FURTHER, TAKEN
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.render.cache import Cache
from crenn.core.render.source import ALL, Source
from crenn.core.render.view import View
from crenn.core.render.warp import AROUND, STEP, Map, compressed, lift, opened, placed, stretched
from crenn.core.render.window import Window

#: Lobes of the fine filter, and of that for reduced views, which are averaged anyway.
_LOBES, _LOBES_REDUCED = 3, 2
#: Levels of at most so many pixels are kept on the compressed scale, for geometry that is dragged.
_SMALL = 2_500_000

#: Reads light of a level, float32 (h, w, 3), in rows and columns.
Read = Callable[[int, slice, slice], np.ndarray]


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


def translated(window: Window, offset: tuple[int, int]) -> Window:
    """A window of a picture that begins at an offset, as one of the scene."""
    return replace(window, x=window.x + offset[0], y=window.y + offset[1])


def places(frame: PictureGeometry, window: Window, unit: float) -> tuple[np.ndarray, np.ndarray]:
    """Where the pixels of a window lie in the scene: x and y, float32 (h, w), full-size pixels times ``unit``.

    A lens may draw each colour elsewhere; green speaks for all.
    """
    nodes = nodes_of(frame, window, 1)[0]
    xs = np.empty((window.out_height, window.out_width), np.float32)
    ys = np.empty_like(xs)
    placed(nodes, _starts(window), unit, xs, ys)
    return xs, ys


def _starts(window: Window) -> tuple[float, float]:
    """The centre of a window's first pixel, in pixels from its first node."""
    left, top = window.x * window.out_width / window.width, window.top
    return left - np.floor(left / STEP) * STEP + 0.5, top - np.floor(top / STEP) * STEP + 0.5


def _by_four(part: np.ndarray, done: Callable[[np.ndarray], np.ndarray]) -> np.ndarray:
    """What OpenCV does to a picture (h, w, C), which takes at most four channels at once."""
    channels = part.shape[2]
    if channels <= 4:
        return done(part)
    pieces = [done(np.ascontiguousarray(part[..., c : c + 4])) for c in range(0, channels, 4)]
    return np.concatenate([p.reshape(*p.shape[:2], -1) for p in pieces], -1)


def _floor_of(source: Source) -> float:
    """Light around which the compressed scale turns."""
    return max(source.floor, 1e-9)


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
        if view.frame.offset is None:
            return self.moved(view, (), source.read)
        level = source.level_for(view.scale)
        out = _straight(source.read, level, source.level_size(level), source.size, _in_scene(view))
        if (gains := _falloff_at_nodes(view)) is not None:
            lift(gains, _starts(view.window), out)
        return out

    def moved(self, view: View, key: tuple, read: Read) -> np.ndarray:
        """Light of a view whose frame moves it, as of `light`, of what ``read`` gives of a level of its scene.

        ``key`` tells that from others of the same scene.
        """
        out = self._warped(view, key, read)
        if (gains := _falloff_at_nodes(view)) is not None:
            lift(gains, _starts(view.window), out)
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
        """The noise layers of a view whose frame only cuts, float32 (h, w, CHANNELS)."""
        source = view.source
        level = source.level_for(view.scale)
        out = _straight(source.read_noise, level, source.noise_size(level), source.size, _in_scene(view))
        if (gains := _falloff_at_nodes(view)) is not None:
            for part in (TAKEN, FURTHER):
                lifted = np.ascontiguousarray(out[..., part])
                lift(gains, _starts(view.window), lifted)
                out[..., part] = lifted
        return out

    @staticmethod
    def _map(view: View, level_size: tuple[int, int], lobes: int) -> Map:
        """Where a view's pixels lie in a level of its source."""
        source, window = view.source, view.window
        per_y, per_x = level_size[0] / source.size[0], level_size[1] / source.size[1]
        return Map(
            nodes_of(view.frame, window, 3 if _by_colour(view) else 1),
            _starts(window),
            view.shape,
            (float(source.size[1]), float(source.size[0])),
            (per_x, per_y),
            lobes,
            stretched(lobes, per_x / window.scale),
        )

    def _compressed(self, source: Source, level: int, key: tuple, read: Read) -> np.ndarray:
        """A level on the compressed scale with a border for `Map.nearest`, float32 (3, …, …), kept."""

        def make(level: int, key: tuple) -> np.ndarray:
            return compressed(np.array(read(level, ALL, ALL)), _floor_of(source), border=AROUND)

        return self._cache.get(source, "compressed", (level, key), make)

    def _warped(self, view: View, key: tuple, read: Read) -> np.ndarray:
        source, window, floor = view.source, view.window, _floor_of(view.source)
        level = source.level_for(window.scale)
        height, width = source.level_size(level)
        if not view.fine and not _by_colour(view) and height * width <= _SMALL:
            way = self._map(view, (height, width), 1)
            return way.nearest(self._compressed(source, level, key, read), floor)
        way = self._map(view, (height, width), (_LOBES if window.scale >= 1 else _LOBES_REDUCED) if view.fine else 1)
        margin = int(np.ceil(way.lobes * way.stretch)) + 2
        # Only what lies inside is read; edges of the scene are repeated.
        low = np.floor(way.nodes.min((0, 1, 2)) * way.per).astype(int) - margin
        high = np.ceil(way.nodes.max((0, 1, 2)) * way.per).astype(int) + margin
        rows, columns = _bounded(low, high, (height, width))
        to_camera = _to_camera(view)
        planes = compressed(np.array(read(level, rows, columns)), floor, to_camera, way.border)
        found = way.through(planes, (columns.start, rows.start))
        return opened(found, floor, None if to_camera is None else np.linalg.inv(to_camera))


def _by_colour(view: View) -> bool:
    """Whether a lens draws a view's colours apart: by a fraction of a pixel, which is told at full size, or at rest."""
    lens = view.frame.lens
    return lens is not None and lens.by_colour and (view.fine or view.window.scale >= 1)


def _to_camera(view: View) -> np.ndarray | None:
    """From the light's colours to the sensor's, float64 (3, 3), where a lens draws those apart."""
    lens = view.frame.lens
    return np.asarray(lens.to_camera, np.float64) if lens is not None and _by_colour(view) else None


def layers_of(source: Source, level: int, rows: slice, columns: slice) -> np.ndarray:
    """Noise layers of rows and columns of a level of light, float32 (h, w, CHANNELS)."""
    size, own = source.level_size(level), source.noise_size(level)
    if own == size:
        return single(source.read_noise(level, rows, columns))
    # Of what has been cleaned in parts there are few levels: a finer one is averaged.
    (fy, fx), out = (a / b for a, b in zip(own, size)), (columns.stop - columns.start, rows.stop - rows.start)
    finer = [slice(int(s.start * f), int(np.ceil(s.stop * f))) for s, f in ((rows, fy), (columns, fx))]
    return _by_four(
        single(source.read_noise(level, *finer)), lambda p: cv2.resize(p, out, interpolation=cv2.INTER_AREA)
    )


def _in_scene(view: View) -> Window:
    """The window of a view whose frame only cuts, as one of the scene."""
    assert view.frame.offset is not None
    return translated(view.window, view.frame.offset)


def _falloff_at_nodes(view: View) -> np.ndarray | None:
    """EV that a lens has taken at the nodes of a view's map, float32 (rows, columns); None if it has taken none."""
    if not view.frame.fades:
        return None
    nodes = nodes_of(view.frame, view.window, 1)[0]
    return np.asarray(view.frame.falloff_at(nodes.reshape(-1, 2)).reshape(nodes.shape[:2]), np.float32)


def _bounded(low: np.ndarray, high: np.ndarray, size: tuple[int, int]) -> tuple[slice, slice]:
    """Rows and columns of an array of size (h, w) from a place (x, y) up to another: one pixel at least."""
    height, width = size
    left, top = (int(np.clip(v, 0, n - 1)) for v, n in zip(low, (width, height)))
    right, bottom = (int(np.clip(v, 1, n)) for v, n in zip(high, (width, height)))
    return slice(top, max(bottom, top + 1)), slice(left, max(right, left + 1))


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
