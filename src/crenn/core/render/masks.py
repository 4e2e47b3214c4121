"""Masks of areas in any window of the picture: their parts, refined, softened and put together."""

import hashlib
from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np

from crenn.core.areas.appearance import appearance_features
from crenn.core.areas.area import Area
from crenn.core.areas.brush import Brush, BrushStroke, painted
from crenn.core.areas.found.sky import SIDE, find_sky, from_ground
from crenn.core.areas.found.subject import find_subject
from crenn.core.areas.found.trimap import TrimapModel
from crenn.core.areas.found.water import find_water
from crenn.core.areas.geodesic import Surface, distances, surface_of
from crenn.core.areas.grown import Grown
from crenn.core.areas.part import Apart, Part
from crenn.core.areas.refine import refined
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.pipeline.planes import LATTICE, PlaneContext
from crenn.core.pipeline.scene import Lamp
from crenn.core.render.cache import Cache
from crenn.core.render.framed import places, translated
from crenn.core.render.grid import reduced_for_base
from crenn.core.render.grids import Grids
from crenn.core.render.planes import Planes, around
from crenn.core.render.source import Source
from crenn.core.render.view import View
from crenn.core.render.window import Window

#: Masks of parts are kept for windows of at most so many pixels, as they are while something is dragged.
_KEPT = 600_000
#: A softened part is made at such a size that its blur is this many pixels, and blurred within so many deviations.
_SOFT, _WITHIN = 4.0, 3.0
#: A blur of less, in pixels, makes no difference.
_UNSEEN = 0.2
#: Deviation by which noise is evened out before a brush looks for edges, in full-size pixels.
_BLUR = 1.0
#: OpenCV's maps are no longer than this along a side.
_LONGEST = 30_000
#: How what is told apart on the whole scene is found.
_FINDERS = {"sky": find_sky, "water": find_water, "subject": find_subject}
#: A sky that was found, and that of a stack, are the same if so much of them is.
_SAME = 0.9


@dataclass(frozen=True)
class Stacked:
    """Masks of all areas for a window, uint16 (A, h, w), and the columns that each touches in each row.

    ``spans``, int32 (A, h, 2), has the first of them, and the first after them.
    """

    shares: np.ndarray
    spans: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.shares.nbytes


_NOTHING = Stacked(np.zeros((1, 1, 1), np.uint16), np.zeros((1, 1, 2), np.int32))


class Masks:
    """Makes the masks of areas."""

    def __init__(self, planes: Planes, grids: Grids, cache: Cache):
        self._planes, self._grids, self._cache = planes, grids, cache

    def stacked(self, areas: list[Area], view: View) -> Stacked:
        """The masks of several areas."""

        def make(areas: list[Area]) -> Stacked:
            shares = np.stack([self.of(area, view) for area in areas])
            return Stacked(shares, _spans(shares))

        if not areas:
            return _NOTHING
        return self._cache.get(view, "masks", (areas,), make)

    def of(self, area: Area, view: View) -> np.ndarray:
        """The mask of one area, uint16 (h, w)."""

        def make(area: Area) -> np.ndarray:
            return area.mask(lambda part: self.share(part, view), view.shape)

        if view.window.pixels > _KEPT and len(area.parts) == 1:
            return make(area)
        return self._cache.get(view, "mask", (area,), make)

    def share(self, part: Part, view: View) -> np.ndarray:
        """How far places of a view belong to a part, refined and softened but not inverted, float32 (h, w)."""

        def make(part: Part) -> np.ndarray:
            sigma = part.soften / 100 * view.frame.long_side
            if sigma * view.scale >= 0.3:
                return self._softened(part, view, sigma)
            if part.refine * view.scale >= 0.5:
                return self._refined(part, view)
            return part.share(_Seen(self, view))

        if view.window.pixels > _KEPT:
            return make(part)
        return self._cache.get(view, "part", (part,), make)

    def _refined(self, part: Part, view: View) -> np.ndarray:
        radius = part.refine * view.scale
        larger, rows, columns = view.grown(int(np.ceil(2.5 * radius)) + 2 * LATTICE, LATTICE)
        share = part.share(_Seen(self, larger))
        out = refined(share, self.appearance_features(0.0, larger), radius)
        return np.ascontiguousarray(out[rows, columns])

    def _softened(self, part: Part, view: View, sigma: float) -> np.ndarray:
        """A part made at a size at which its blur is a few pixels, blurred, and enlarged."""
        window = view.window
        step = max(sigma / _SOFT, 1.0 / window.scale if window.scale < 1 else 1.0)
        # On the lattice, so that what works at a reduced size does the same in every window.
        first_x, first_y = (
            int(np.floor(((v - _WITHIN * sigma) / step - 1) / LATTICE)) * LATTICE for v in (window.x, window.y)
        )
        ends = window.x + window.width, window.y + window.height
        last_x, last_y = (int(np.ceil((v + _WITHIN * sigma) / step)) + 1 for v in ends)
        wide, high = last_x - first_x, last_y - first_y
        larger = Window(first_x * step, first_y * step, wide * step, high * step, wide, high)
        hard = self.share(part.changed(soften=0.0), view.coarse().through(larger))
        soft = cv2.GaussianBlur(hard, (0, 0), sigma / step, borderType=cv2.BORDER_REPLICATE)
        per_x, per_y = window.width / window.out_width / step, window.height / window.out_height / step
        x0, y0 = window.x / step - first_x, window.y / step - first_y
        shift = np.array([[per_x, 0, x0 + per_x / 2 - 0.5], [0, per_y, y0 + per_y / 2 - 0.5]])
        size = window.out_width, window.out_height
        out = cv2.warpAffine(soft, shift, size, flags=cv2.WARP_INVERSE_MAP | cv2.INTER_LINEAR)
        return np.clip(out, 0, 1)

    def evened(self, blur: float, view: View) -> np.ndarray:
        """The light of a view, evened out by a deviation in full-size pixels, float32 (h, w, 3)."""
        sigma = blur * min(view.scale, 1.0)
        if sigma < _UNSEEN:
            return self._planes.light(view)
        larger, rows, columns = view.grown(int(np.ceil(4 * sigma)), 1)
        even = cv2.GaussianBlur(self._planes.light(larger), (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
        return np.ascontiguousarray(even[rows, columns])

    def appearance_features(self, blur: float, view: View) -> np.ndarray:
        """What surfaces of a view look like once light is evened out, float32 (h, w, 3)."""

        def make(blur: float) -> np.ndarray:
            return appearance_features(self.evened(blur, view), view.source.floor)

        return self._cache.get(view, "surfaces", (blur,), make)

    def places(self, view: View) -> np.ndarray:
        """Where the pixels of a view lie in the scene, as documents say it, float32 (2, h, w)."""
        frame, window = view.frame, view.window
        unit = 1.0 / frame.long_side

        def make() -> np.ndarray:
            if frame.offset is None:
                return np.stack(places(frame, window, unit))
            there = translated(window, frame.offset)
            out = np.empty((2, window.out_height, window.out_width), np.float32)
            per_x, per_y = window.width / window.out_width, window.height / window.out_height
            out[0] = (there.x + (np.arange(window.out_width) + 0.5) * per_x) * unit
            out[1] = ((there.y + (np.arange(window.out_height) + 0.5) * per_y) * unit)[:, None]
            return out

        return self._cache.get(view, "places", (), make)

    def apart(self, kind: Apart, source: Source) -> TrimapModel:
        """What of the scene a kind is told apart by."""
        source = source.coarse

        def make(kind: str) -> TrimapModel:
            whole = PictureGeometry.whole(source.size)
            small, _ = reduced_for_base(self._grids.small(source, whole), SIDE)
            told = around(source, small.shape[1] / source.size[1], whole)
            found = _FINDERS[kind](small, told)
            if kind == "sky" and source.has("ground"):
                found = _agreeing(found, small, told, np.asarray(source.plane("ground"), np.float32) / 255)
            return found

        return self._cache.get(source, "apart", (kind,), make)

    def grown(self, part: Grown, source: Source) -> np.ndarray:
        """What has grown from the places of a part, float32 (h, w) over the whole scene at a reduced size."""
        source = source.coarse

        def surface() -> Surface:
            small, _ = reduced_for_base(self._grids.small(source, PictureGeometry.whole(source.size)), SIDE)
            return surface_of(appearance_features(small, source.floor))

        def way(place: list[float]) -> np.ndarray:
            seen = self._cache.get(source, "grown surface", (), surface)
            long_side = max(seen.looks.shape[:2])
            return distances(seen, (place[0] * long_side, place[1] * long_side))

        def make(part: Grown) -> np.ndarray:
            return part.of([self._cache.get(source, "way", (seed.place,), way) for seed in part.seeds])

        return self._cache.get(source, "grown", (part.changed(soften=0.0, refine=0.0),), make)

    def painted(self, brush: Brush, view: View) -> np.ndarray:
        """What a brush has painted in a view, float32 (h, w)."""
        frame, window = view.frame, view.window
        even = abs(window.out_width / window.width * window.height / window.out_height - 1) * window.out_height < 0.2
        if frame.offset is not None and even:
            return self._strokes(brush, view.source, translated(window, frame.offset))
        x, y = self.places(view) * frame.long_side
        step = 1.0 / window.scale
        left, top = (float(np.floor(v.min() / step) - 1) * step for v in (x, y))
        across, down = (int(np.ceil((v.max() - low) / step)) + 2 for v, low in ((x, left), (y, top)))
        found = self._strokes(brush, view.source, Window(left, top, across * step, down * step, across, down))
        unit = np.float32(window.scale)
        at = (x - np.float32(left)) * unit - np.float32(0.5), (y - np.float32(top)) * unit - np.float32(0.5)
        return cv2.remap(found, *at, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=brush.begins)

    def _strokes(self, brush: Brush, source: Source, window: Window) -> np.ndarray:
        """The strokes in a window of the scene; where all but the last are known, that is painted over them."""
        told = [stroke.key for stroke in brush.strokes]
        view = View.of_scene(source, window, False)

        def given(count: int) -> tuple:
            return hashlib.sha256(f"{brush.begins}{''.join(told[:count])}".encode()).digest(), brush.shift

        def make(digest: bytes, shift: list[float]) -> np.ndarray:
            first = np.full(view.shape, brush.begins, np.float32)
            before = first
            if len(told) > 1:
                # While a stroke grows, those before it stay.
                before = self._cache.get(
                    view,
                    "painted",
                    given(len(told) - 1),
                    lambda digest, shift: self._over(brush.strokes[:-1], first, shift, view),
                )
            return self._over(brush.strokes[-1:], before, shift, view)

        return self._cache.get(view, "painted", given(len(told)), make)

    def _over(self, strokes: list[BrushStroke], before: np.ndarray, shift: list[float], view: View) -> np.ndarray:
        """Strokes painted over a mask of a view of the scene; those that do not touch it are left out."""
        source, window = view.source, view.window
        long_side = max(source.size)
        low = np.array([window.x, window.y]) / long_side - shift
        high = low + np.array([window.width, window.height]) / long_side
        strokes = [s for s in strokes if (s.bounds[1] > low).all() and (s.bounds[0] < high).all()]
        told = np.zeros((1, 1, 3), np.float32)
        if any(stroke.edges for stroke in strokes):
            told = self.appearance_features(_BLUR, view)
        nothing = np.zeros((1, 3), np.float32)
        centres = [self._centres(stroke, shift, source) if stroke.edges else nothing for stroke in strokes]
        return painted(strokes, before, (low[0], low[1]), window.scale * long_side, told, centres)

    def _centres(self, stroke: BrushStroke, shift: list[float], source: Source) -> np.ndarray:
        """What lies under the middle of a brush, at each place that it leaves something, float32 (N, 3).

        It is looked up at a size at which the brush is a few pixels wide, the same in every window.
        """

        def make(stroke: BrushStroke, shift: list[float]) -> np.ndarray:
            return _looked_up(stroke, shift, source)

        return self._cache.get(source, "centres", (stroke, shift), make)


def _looked_up(stroke: BrushStroke, shift: list[float], source: Source) -> np.ndarray:
    level = source.level_for(min(8.0 / (stroke.radius * max(source.size)), 1.0))
    height, width = source.level_size(level)
    at = (stroke.dabs[:, :2] + shift) * (max(height, width), max(height, width))
    columns, rows = (np.clip(np.floor(v).astype(np.int64), 0, n - 1) for v, n in zip(at.T, (width, height)))
    top, left = max(int(rows.min()) - 1, 0), max(int(columns.min()) - 1, 0)
    part = source.read(level, slice(top, int(rows.max()) + 2), slice(left, int(columns.max()) + 2))
    beside = (-1, 0, 1)
    light = np.mean(
        [
            np.asarray(
                part[np.clip(rows + i, 0, height - 1) - top, np.clip(columns + j, 0, width - 1) - left], np.float32
            )
            for i in beside
            for j in beside
        ],
        0,
    )
    return appearance_features(light[None], source.floor)[0]


class _Seen:
    """What parts are made in: a view, and its scene; see `crenn.core.areas.part.Scenery`."""

    def __init__(self, masks: Masks, view: View):
        self._masks, self._view = masks, view
        self.scale, self.long_side, self.floor = view.scale, view.frame.long_side, view.source.floor
        self.lamps: tuple[Lamp, ...] = view.source.light.lamps

    def places(self) -> tuple[np.ndarray, np.ndarray]:
        x, y = self._masks.places(self._view)
        return x, y

    def light(self, blur: float = 0.0) -> np.ndarray:
        return self._masks.evened(blur, self._view)

    def appearance_features(self, blur: float) -> np.ndarray:
        return self._masks.appearance_features(blur, self._view)

    def noise(self, stops: np.ndarray) -> np.ndarray:
        return self._view.source.light.noise_ev(stops) * min(self.scale, 1.0)

    def apart(self, kind: Apart) -> TrimapModel:
        return self._masks.apart(kind, self._view.source)

    def sampled(self, plane: np.ndarray) -> np.ndarray:
        return _sampled(plane, *self.places())

    def sampled_at(self, plane: np.ndarray, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
        x, y = self.places()
        at = x[rows, columns], y[rows, columns]
        pieces = [
            _sampled(plane, at[0][i : i + _LONGEST, None], at[1][i : i + _LONGEST, None])[:, 0]
            for i in range(0, len(rows), _LONGEST)
        ]
        return np.concatenate(pieces)

    def grown(self, part: Part) -> np.ndarray:
        assert isinstance(part, Grown)
        return self._masks.grown(part, self._view.source)

    def painted(self, brush: Part) -> np.ndarray:
        assert isinstance(brush, Brush)
        return self._masks.painted(brush, self._view)


def _spans(shares: np.ndarray) -> np.ndarray:
    """The first column that each row of masks touches, and the first after the last, int32 (A, h, 2)."""
    out = np.zeros((*shares.shape[:2], 2), np.int32)
    _touched(shares, out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _touched(shares, out):
    for y in nb.prange(shares.shape[1]):
        for k in range(shares.shape[0]):
            row = shares[k, y]
            last = row.size
            while last > 0 and row[last - 1] == 0:
                last -= 1
            first = 0
            while first < last and row[first] == 0:
                first += 1
            out[k, y, 0], out[k, y, 1] = first, last


def _sampled(plane: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """A plane of the whole scene at places, in shares of the scene's longer side, float32 like them."""
    per, half = np.float32(max(plane.shape[:2])), np.float32(0.5)
    return cv2.remap(plane, x * per - half, y * per - half, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _agreeing(found: TrimapModel, small: np.ndarray, around: PlaneContext, ground: np.ndarray) -> TrimapModel:
    """The sky that was found, or that of the stack where it is another."""
    size = small.shape[1], small.shape[0]
    known = from_ground(small, around, cv2.resize(ground, size, interpolation=cv2.INTER_AREA))
    if found.sure.shape != known.sure.shape:
        return known
    one, other = found.sure > 0.75, known.sure > 0.75
    return found if (one & other).sum() > _SAME * max((one | other).sum(), 1) else known
