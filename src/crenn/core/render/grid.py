"""The edge-aware base: to which stop each place of the picture belongs.

A bilateral grid (Chen, Paris and Durand 2007, "Real-time edge-aware image processing with the bilateral grid"):
computed once per scene and reach from a reduced picture, then read at any place and scale. Light on the far side of
an edge lies in other layers of the grid and has no say, so a skyline keeps its place against a bright sky.
"""

from dataclasses import dataclass
from functools import cache, lru_cache

import cv2
import numba as nb
import numpy as np
from scipy.ndimage import gaussian_filter, map_coordinates

from crenn.core.colorimetry.stops import stops_of
from crenn.core.pipeline.instructions import table_stops
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.pipeline.planes import GridCurve

#: Thickness of a layer of the grid, in stops.
LAYER = 0.5
#: Cells that are read for each that light was gathered in, along each side.
_FINER = 3
#: Deviation of the stops that a layer gathers, in layers, once each place is shared out between its two: a third of a
#: stop in all. Wider, trees outside a window would be told from its sky the less the smaller it is.
_SPREAD = 0.7
#: Added to the spread of places, in cells squared, before a plane is laid through them.
_STIFF = 0.7


@dataclass(frozen=True)
class BaseGrid:
    """The base over (row, column, stop), in stops.

    Attributes
    ----------
    cells : ndarray, float32 (GH, GW, GL)
    cell : float
        Side of a cell in full-size pixels.
    start : float
        Stop of the first layer.
    floor : float
        Light below this counts as this: where noise rules no stop can be told apart.
    """

    cells: np.ndarray
    cell: float
    start: float
    floor: float

    @property
    def nbytes(self) -> int:
        return self.cells.nbytes

    def through(self, frame: PictureGeometry) -> "BaseGrid":
        """The base of a scene, as it lies in the picture plane of a frame."""
        height, width = frame.size
        rows, columns = (int(np.ceil(n / self.cell)) + 3 for n in (height, width))
        x, y = np.meshgrid((np.arange(columns) - 1) * self.cell, (np.arange(rows) - 1) * self.cell)
        places = frame.to_scene(np.stack([x.ravel(), y.ravel()], -1)) / self.cell + 1.0
        at = [places[:, 1].reshape(rows, columns), places[:, 0].reshape(rows, columns)]
        layers = [map_coordinates(layer, at, order=1, mode="nearest") for layer in np.moveaxis(self.cells, 2, 0)]
        return BaseGrid(np.ascontiguousarray(np.stack(layers, -1)), self.cell, self.start, self.floor)


def build_base(rgb: np.ndarray, scale: float, reach: float, full_size: tuple[int, int], floor: float) -> BaseGrid:
    """Build the grid.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        The radiance map, reduced.
    scale : float
        Full-size pixels per pixel of ``rgb``.
    reach : float
        Standard deviation of the neighbourhood, in % of the picture's longer side.
    full_size : tuple of int
        (H, W) of the full picture.
    floor : float
        Least luminance told apart.
    """
    return _fitted(None, rgb, scale, reach, full_size, floor)


def carry(
    values: np.ndarray, rgb: np.ndarray, scale: float, reach: float, full_size: tuple[int, int], floor: float
) -> BaseGrid:
    """A grid that carries values of the reduced picture's places, float32 (h, w), to any size.

    Other parameters as of `build_base`. After "Bilateral guided upsampling" (Chen, Adams, Wadhwa and Hasinoff 2016);
    the reach is short, so that a mean for each stop will do.
    """
    return _fitted(values, rgb, scale, reach, full_size, floor)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _summed(stops, z, places_x, places_y, start, per_stop, out):
    """Sums of places, of (how many, z) or of (how many, z, x, y, xx, yy, xy, zx, zy), float64 (2 or 9, GH, GW, GL).

    A place counts in the nearest cell, and in the two layers that its stop lies between.
    """
    _, rows, columns, layers = out.shape
    all_of_them = out.shape[0] > 2
    for i in range(stops.shape[0]):
        y = places_y[i]
        row = min(max(int(np.rint(y)), 0), rows - 1)
        for j in range(stops.shape[1]):
            x, v = places_x[j], np.float64(z[i, j])
            column = min(max(int(np.rint(x)), 0), columns - 1)
            at = (stops[i, j] - start) * per_stop
            lower = min(max(int(at), 0), layers - 2)
            for layer in range(lower, lower + 2):
                w = max(1.0 - abs(at - layer), 0.0)
                wx, wy = w * x, w * y
                out[0, row, column, layer] += w
                out[1, row, column, layer] += w * v
                if all_of_them:
                    out[2, row, column, layer] += wx
                    out[3, row, column, layer] += wy
                    out[4, row, column, layer] += wx * x
                    out[5, row, column, layer] += wy * y
                    out[6, row, column, layer] += wx * y
                    out[7, row, column, layer] += v * wx
                    out[8, row, column, layer] += v * wy


def _fitted(
    values: np.ndarray | None,
    rgb: np.ndarray,
    scale: float,
    reach: float,
    full_size: tuple[int, int],
    floor: float,
) -> BaseGrid:
    """The mean of values of places for each stop; of their stops, with planes laid through them, if those are None."""
    height, width = rgb.shape[:2]
    stops = stops_of(rgb, floor)
    cell = max(reach / 100.0 * max(full_size), 2.0 * scale)
    start = float(np.floor(stops.min())) - 1.0
    layers = int(np.ceil((float(stops.max()) - start) / LAYER)) + 3
    grid_h = int(np.ceil(full_size[0] / cell)) + 3
    grid_w = int(np.ceil(full_size[1] / cell)) + 3
    places_x = (np.arange(width) + 0.5) * scale / cell + 1.0
    places_y = (np.arange(height) + 0.5) * scale / cell + 1.0
    shape = (grid_h, grid_w, layers)
    z = stops if values is None else np.ascontiguousarray(values, np.float32)
    sums = np.zeros((2 if values is not None else 9, *shape))
    _summed(stops, z, places_x, places_y, start, 1.0 / LAYER, sums)
    sums = gaussian_filter(sums, (0.0, 1.0, 1.0, _SPREAD), mode="constant", truncate=3.0)
    count, of_z = sums[:2]
    thin = 1e-4 * max(count.max(), 1e-9)
    full = count + thin
    # Where nothing of this stop is near, a place is its own base; of other values it has what is near it.
    if values is None:
        own = np.broadcast_to(start + LAYER * np.arange(layers), shape)
    else:
        near = gaussian_filter(of_z.sum(-1), 2.0), gaussian_filter(count.sum(-1), 2.0)
        own = np.broadcast_to(((near[0] + thin * z.mean()) / (near[1] + thin))[..., None], shape)
    mean = (of_z + thin * own) / full
    if values is not None:
        # Their reach is short: a plane through so few cells would be one through noise.
        return BaseGrid(np.ascontiguousarray(mean, np.float32), float(cell), start, float(floor))
    # Beside an edge, all that is of a place's stop lies to one side: a mean would be that of another place. So a plane
    # is laid through it (local linear regression, Fan and Gijbels 1996), as far as the neighbours bear it out.
    place_y, place_x, _ = np.meshgrid(*(np.arange(n, dtype=np.float64) for n in shape), indexing="ij")

    def shared(summed: np.ndarray, here: np.ndarray, there: np.ndarray) -> np.ndarray:
        """How two quantities of the places vary together; ``here`` and ``there`` are they at the cell itself."""
        return np.asarray((summed + thin * here * there) / full)

    of_x, of_y, of_xx, of_yy, of_xy, of_zx, of_zy = sums[2:]
    mean_x, mean_y = (of_x + thin * place_x) / full, (of_y + thin * place_y) / full
    xx = shared(of_xx, place_x, place_x) - mean_x**2 + _STIFF
    yy = shared(of_yy, place_y, place_y) - mean_y**2 + _STIFF
    xy = shared(of_xy, place_x, place_y) - mean_x * mean_y
    zx = shared(of_zx, own, place_x) - mean * mean_x
    zy = shared(of_zy, own, place_y) - mean * mean_y
    solvable = np.maximum(xx * yy - xy**2, _STIFF**2)
    slope_x, slope_y = (zx * yy - zy * xy) / solvable, (zy * xx - zx * xy) / solvable
    planes = slope_x * (place_x - mean_x) + slope_y * (place_y - mean_y)
    cells = mean + np.where(count > 10 * thin, np.clip(planes, -LAYER, LAYER), 0.0)
    # Read between cells linearly, a coarse grid would show its cells in a smooth sky: a spline goes between them first.
    fine = np.einsum("ri,ijl->rjl", _finer(grid_h), cells, optimize=True)
    fine = np.einsum("cj,rjl->rcl", _finer(grid_w), fine, optimize=True)
    return BaseGrid(np.ascontiguousarray(fine, np.float32), float(cell) / _FINER, start, float(floor))


@lru_cache(maxsize=64)
def _finer(cells: int) -> np.ndarray:
    """What each of so many cells gives to each finer one by a cubic spline, float64 (finer, cells).

    A spline is linear in what it goes through, and one axis at a time will do.
    """
    # The first cell of either grid lies one of its own sides before the picture.
    at = (np.arange(_FINER * (cells - 1) + 1) - 1.0) / _FINER + 1.0
    return np.stack([map_coordinates(one, [at], order=3, mode="nearest") for one in np.eye(cells)], -1)


def reduced_for_base(rgb: np.ndarray, side: int = 900) -> tuple[np.ndarray, float]:
    """A reduced picture for `build_base`, and how many full-size pixels one of its pixels spans."""
    height, width = rgb.shape[:2]
    scale = max(max(height, width) / side, 1.0)
    size = (max(round(width / scale), 1), max(round(height / scale), 1))
    return cv2.resize(rgb, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], 3), width / size[0]


@cache
def even_base(floor: float = 2.0**-40) -> BaseGrid:
    """The base of a large even patch of any stop: itself."""
    stops = np.arange(-32.0, 16.0 + LAYER, LAYER)
    return BaseGrid(np.broadcast_to(stops.astype(np.float32), (2, 2, stops.size)).copy(), 1.0, -32.0, floor)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _look_up(cells, shift, start, per_stop, added, stretch, out):
    """What a table over even steps adds at cells, flat, between its entries; its ends go on."""
    last = added.size - 1
    for n in range(cells.size):
        at = min(max((np.float64(cells[n]) + shift - start) * per_stop, 0.0), np.float64(last))
        k = min(int(at), last - 1)
        out[n] = added[k] + (at - k) * (added[k + 1] - added[k]) - stretch * cells[n]


def looked_up(cells: np.ndarray, curve: GridCurve) -> np.ndarray:
    """The EV that a curve adds at a grid's cells, less the base's part of what it stretches, float32 like ``cells``.

    A grid is small: its stops are looked up here once, not for every pixel.
    """
    if curve.added is None:
        return np.asarray(-curve.stretch * cells, np.float32)
    stops, out = table_stops(), np.empty(cells.shape, np.float32)
    table = np.ascontiguousarray(curve.added, np.float64)
    per_stop = (stops.size - 1) / (stops[-1] - stops[0])
    _look_up(cells.reshape(-1), curve.shift, stops[0], per_stop, table, curve.stretch, out.reshape(-1))
    return out
