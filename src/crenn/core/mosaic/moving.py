"""Moves a mosaic by a mesh with Lanczos' filter, and says what that does to its noise."""

from functools import cache

import cv2
import numba as nb
import numpy as np

from crenn.core.fastmath import exp2
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.resample import PHASES, TAPS, lanczos, place
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


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _resample_mosaic(colour, spoiled, nodes, weights, pattern, scale, light_scale, gains, black, full, out):
    height, width = spoiled.shape
    log2_e = np.float32(1.4426950408889634)
    for y in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            sx, sy = place(nodes, x, y)
            if not (0.0 <= sx <= width - 1.0 and 0.0 <= sy <= height - 1.0):
                out[y, x] = MISSING
                continue
            i, j = int(np.floor(sy)), int(np.floor(sx))
            c = pattern[y & 1, x & 1]
            if spoiled[int(sy + 0.5), int(sx + 0.5)]:
                out[y, x] = np.uint16(full)
                continue
            wy, wx = weights[int((sy - i) * PHASES + 0.5)], weights[int((sx - j) * PHASES + 0.5)]
            total = np.float32(0)
            for a in range(TAPS):
                row = min(max(i + a - 2, 0), height - 1)
                line = np.float32(0)
                for b in range(TAPS):
                    line += wx[b] * colour[row, min(max(j + b - 2, 0), width - 1), c]
                total += wy[a] * line
            e = exp2(total * log2_e)
            light = np.float32(0.5) * light_scale * (e - np.float32(1) / e) / gains[c]
            number = light * scale + black
            out[y, x] = np.uint16(min(max(number + np.float32(0.5), np.float32(0)), np.float32(full - 1)))


def resample_mosaic(
    mosaic: np.ndarray,
    mesh: Mesh,
    pattern: np.ndarray,
    levels: Levels,
    gains: np.ndarray,
    noise: NoiseModel,
    spoil: int = 3,
) -> tuple[np.ndarray, Levels]:
    """Move a mosaic: every site gets the light of its own colour at the place the mesh tells.

    The mosaic is interpolated to full colour first and moved on a compressive scale of the light, so that neither
    detail is lost nor lamps ring.

    Parameters
    ----------
    mosaic : ndarray, uint16 (H, W)
    mesh : Mesh
    pattern : ndarray, uint8 (2, 2)
    levels : Levels
    gains : ndarray, float32 (3,)
        White balance as shot, under which the mosaic is interpolated.
    noise : NoiseModel
    spoil : int
        Clipped light spoils all sites within so many pixels of a clipped one.

    Returns
    -------
    moved : ndarray, uint16 (H, W)
        `MISSING` where the mesh leads outside, `FULL` where clipped light has a part.
    levels : Levels
        Of the moved mosaic.
    """
    light = np.empty(mosaic.shape, np.float32)
    variance = np.empty(mosaic.shape, np.float32)
    for c, where in sites(pattern):
        site = (mosaic[where].astype(np.float32) - levels.black[c]) / np.float32(levels.white - levels.black[c])
        light[where] = site * gains[c]
        variance[where] = (np.maximum(site, 0) * noise.slope[c] + noise.offset[c]) * gains[c] ** 2
    f, floor, light_scale = compressed(light, variance)
    del light, variance
    colour = interpolate(f, pattern, floor)
    out_black = FULL / 16
    out = np.empty(mesh.size, np.uint16)
    # What a clipped site has touched, through demosaic or filter, counts as clipped.
    side = 2 * spoil + 1
    spoiled = cv2.dilate((mosaic >= levels.clip).astype(np.uint8), np.ones((side, side), np.uint8))
    _resample_mosaic(
        colour,
        spoiled,
        mesh.nodes,
        lanczos(),
        pattern,
        np.float32(FULL - out_black),
        np.float32(light_scale),
        np.asarray(gains, np.float32),
        np.float32(out_black),
        np.float32(FULL),
        out,
    )
    return out, Levels(np.full(3, out_black, np.float32), FULL, FULL)


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
