"""Moves a mosaic by a mesh with Lanczos' filter, and says what that does to its noise."""

from dataclasses import dataclass
from functools import cache

import cv2
import numba as nb
import numpy as np

from crenn.core.fastmath import NAN_SAFE, sinh
from crenn.core.geometry.lanczos import PHASES, TAPS, lanczos
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.runs import along, columns_apart, interpolate_run, room, weigh_taps
from crenn.core.mosaic.bayer import sites
from crenn.core.mosaic.demosaic import compressed, interpolate
from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.noise import NoiseModel

#: Raw number that marks a site of a moved mosaic as lying outside its frame.
MISSING = 65535
#: Moved mosaics are stored with this number at saturation, so that rounding adds no noise of its own.
FULL = 60000.0
#: Cells in which the noise of a moved mosaic is told, in pixels.
NOISE_CELL = 8
_FINE = 8
_BLACK = FULL / 16
#: Levels of moved mosaics.
MOVED_LEVELS = Levels(np.full(3, _BLACK, np.float32), FULL, FULL)


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _resample_row(y, planes, spoiled, nodes, taps, pattern, scale, light_scale, gains, black, full, out):
    height, width = spoiled.shape
    places = room((out.shape[1] + 1) // 2)
    row, column, down, right, wy, wx, begins, _ = places
    told = np.zeros(len(row), np.float32)
    for tx in range(2):
        c = pattern[y & 1, tx]
        count = (out.shape[1] - tx + 1) // 2
        runs = along(nodes, y, tx, 0, count, places)
        weigh_taps(taps, down[:count], wy)
        weigh_taps(taps, right[:count], wx)
        for k in range(runs):
            start, end = begins[k], begins[k + 1]
            i, j = row[start], column[start] - 2 * start
            # Within the run, those that the picture covers.
            lo, hi = max(start, (1 - j) // 2), min(end, (width + 1 - j) // 2)
            if 0 <= i < height and lo < hi:
                interpolate_run(planes[c], i, j, wy, wx, lo, hi, told)
        by = light_scale / gains[c] * scale
        for n in range(count):
            # Between two numbers light is rounded; what rounds to the end is not yet clipped.
            number = by * sinh(told[n]) + black + np.float32(0.5)
            told[n] = min(max(number, np.float32(0)), np.float32(full - 1))
        for n in range(count):
            i, j = row[n], column[n]
            inside = i >= 0 and j >= 0
            inside &= i < height - 1 or (i == height - 1 and down[n] == 0)
            inside &= j < width - 1 or (j == width - 1 and right[n] == 0)
            if not inside:
                out[y, 2 * n + tx] = MISSING
            elif spoiled[i + int(down[n] >= 0.5), j + int(right[n] >= 0.5)]:
                out[y, 2 * n + tx] = np.uint16(full)
            else:
                out[y, 2 * n + tx] = np.uint16(told[n])


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _resample_mosaic(planes, spoiled, nodes, taps, pattern, scale, light_scale, gains, black, full, out):
    for y in nb.prange(out.shape[0]):
        _resample_row(np.int64(y), planes, spoiled, nodes, taps, pattern, scale, light_scale, gains, black, full, out)


@dataclass(frozen=True)
class Interpolated:
    """A mosaic in full colour on a compressive scale of its light, ready to be moved to many places.

    So neither detail is lost nor do lamps ring.
    """

    _planes: np.ndarray
    _spoiled: np.ndarray
    _light_scale: np.float32
    _pattern: np.ndarray
    _gains: np.ndarray

    @classmethod
    def of(
        cls,
        mosaic: np.ndarray,
        pattern: np.ndarray,
        levels: Levels,
        gains: np.ndarray,
        noise: NoiseModel,
        spoil: int = 3,
    ) -> "Interpolated":
        """Interpolate a mosaic.

        Parameters
        ----------
        mosaic : ndarray, uint16 (H, W)
        pattern : ndarray, uint8 (2, 2)
        levels : Levels
        gains : ndarray, float32 (3,)
            White balance as shot, under which the mosaic is interpolated.
        noise : NoiseModel
        spoil : int
            Clipped light spoils all sites within so many pixels of a clipped one.
        """
        light = np.empty(mosaic.shape, np.float32)
        variance = np.empty(mosaic.shape, np.float32)
        for c, where in sites(pattern):
            site = (mosaic[where].astype(np.float32) - levels.black[c]) / np.float32(levels.white - levels.black[c])
            light[where] = site * gains[c]
            variance[where] = (np.maximum(site, 0) * noise.slope[c] + noise.offset[c]) * gains[c] ** 2
        f, floor, light_scale = compressed(light, variance)
        del light, variance
        planes = columns_apart(interpolate(f, pattern, floor))
        # What a clipped site has touched, through demosaic or filter, counts as clipped.
        side = 2 * spoil + 1
        spoiled = cv2.dilate((mosaic >= levels.clip).astype(np.uint8), np.ones((side, side), np.uint8))
        return cls(planes, spoiled, np.float32(light_scale), pattern, np.asarray(gains, np.float32))

    def moved(self, mesh: Mesh) -> np.ndarray:
        """A mosaic whose sites get the light of their colour at the places that a mesh tells, uint16 (H, W).

        It has `MOVED_LEVELS`: `MISSING` where the mesh leads outside, `FULL` where clipped light has a part.
        """
        out = np.empty(mesh.size, np.uint16)
        _resample_mosaic(
            self._planes,
            self._spoiled,
            mesh.nodes,
            lanczos(),
            self._pattern,
            np.float32(FULL - _BLACK),
            self._light_scale,
            self._gains,
            np.float32(_BLACK),
            np.float32(FULL),
            out,
        )
        return out


@cache
def _noise_by_phase(pattern_bytes: bytes) -> np.ndarray:
    """Noise of a moved site per unit noise of the sites, on even ground, float32 (3, 3, 16, 16).

    For a colour of the result, a colour of source sites, and the place in the mosaic's tile, in eighths of a pixel,
    from which the result is taken: the sum of the squares of all weights.
    """
    pattern = np.frombuffer(pattern_bytes, np.uint8).reshape(2, 2).copy()
    size = 48
    middle = size // 2
    flat = np.full((size, size), 1e6, np.float32)
    fine = np.arange(8 * _FINE, (size - 8) * _FINE) / _FINE
    whole = np.floor(fine).astype(int)
    up = np.zeros((fine.size, size), np.float32)
    taps = lanczos()[np.round((fine - whole) * PHASES).astype(int)]
    for t in range(TAPS):
        up[np.arange(fine.size), whole + t - 2] += taps[:, t]
    table = np.zeros((3, 3, 2 * _FINE, 2 * _FINE), np.float32)
    for row in range(2):
        for column in range(2):
            plane = np.zeros((size, size), np.float32)
            plane[middle + row, middle + column] = 1.0
            answer = interpolate(plane, pattern, flat)
            source = pattern[row, column]
            for c in range(3):
                response = up @ answer[..., c] @ up.T
                folded = (response**2).reshape(-1, 2 * _FINE, response.shape[1] // (2 * _FINE), 2 * _FINE).sum((0, 2))
                table[c, source] += folded
    return table


def noise_share(mesh: Mesh, pattern: np.ndarray, gains: np.ndarray) -> np.ndarray:
    """Variance of a moved mosaic relative to an unmoved one, in cells of `NOISE_CELL` pixels.

    Parameters
    ----------
    mesh : Mesh
    pattern : ndarray, uint8 (2, 2)
    gains : ndarray, float32 (3,)
        White balance: neutral light is meant, whose photon noise grows with the gain.

    Returns
    -------
    ndarray, float32 (H // 8 + 1, W // 8 + 1, 3)
    """
    table = _noise_by_phase(pattern.tobytes())
    weight = np.asarray(gains, np.float32)[None, :] / np.asarray(gains, np.float32)[:, None]
    own = np.einsum("csyx,cs->cyx", table, weight)
    height, width = mesh.size
    rows, columns = height // NOISE_CELL + 1, width // NOISE_CELL + 1
    out = np.zeros((rows, columns, 3), np.float32)
    # A cell is small: from its middle the corners of the tile lie as far as on the sensor.
    y, x = np.mgrid[:rows, :columns] * NOISE_CELL + NOISE_CELL // 2
    middle = mesh.at(np.stack([x.ravel(), y.ravel()], -1).astype(np.float64))
    for c in range(3):
        corners = [(r, k) for r in range(2) for k in range(2) if pattern[r, k] == c]
        for r, k in corners:
            phase = np.round((middle + (k, r)) * _FINE).astype(int) % (2 * _FINE)
            out[..., c] += own[c][phase[:, 1], phase[:, 0]].reshape(rows, columns) / len(corners)
    return out
