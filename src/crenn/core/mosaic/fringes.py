"""Lateral colour of a lens: measured on a mosaic, and taken back before colours are interpolated.

A lens draws red and blue a little larger or smaller than green. Once a mosaic is interpolated, detail of green is part
of red and blue, and they can no longer be moved apart from it: so the sites of red and blue are moved beforehand.
"""

import cv2
import numpy as np

from crenn.core.geometry.lanczos import PHASES, lanczos
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.resample import resample
from crenn.core.mosaic.bayer import even, sites
from crenn.core.pipeline.fringes import Fringes

#: Side of the tiles in which a shift is measured, in tiles of the mosaic.
_TILE = 40
#: Tiles whose edges say the shift worse than this, in sites, are left out.
_UNCERTAIN = 0.25
_LEAST_TILES = 24
#: Least correlation of a colour with green in a tile.
_ALIKE = 0.85
#: A shift must be so many times its standard error to be believed.
_SURE = 5.0
_PASSES = 3
#: By how much moved light may go beyond what lies around it, on its logarithmic scale.
_OVERSHOOT = 0.1


def _moved(plane: np.ndarray, site: tuple[int, int], channel: int, fringes: Fringes, shape: tuple[int, int]) -> Mesh:
    """From where the sites of a plane should see light, to where the lens drew it."""
    middle, half = np.array([shape[1] - 1, shape[0] - 1]) / 2, float(np.hypot(*shape)) / 2

    def drawn(places: np.ndarray) -> np.ndarray:
        out = places * 2 + site - middle
        factor = fringes.factor(np.hypot(*out.T) / half, channel)
        return (middle + out * factor[:, None] - site) / 2

    return Mesh.of(drawn, plane.shape[:2])


def take_fringes(light: np.ndarray, variance: np.ndarray, pattern: np.ndarray, fringes: Fringes, floor: float) -> None:
    """Move the red and the blue sites of a mosaic to where green says that they belong, in place.

    Parameters
    ----------
    light, variance : ndarray, float32 (H, W)
        White-balanced, without clipped sites.
    pattern : ndarray, uint8 (2, 2)
    fringes : Fringes
    floor : float
        Light below which noise rules: the filter works on a scale that is logarithmic above it.
    """
    squares = (lanczos() ** 2).sum(1)
    for channel, where in sites(pattern):
        if channel == 1:
            continue
        plane = np.arcsinh(np.ascontiguousarray(light[where]) / np.float32(floor))
        site = (where[1].start, where[0].start)
        mesh = _moved(plane, site, channel, fringes, light.shape)
        moved = resample(plane[..., None], mesh)[..., 0]
        around = np.ones((3, 3), np.uint8)
        np.clip(moved, cv2.erode(plane, around) - _OVERSHOOT, cv2.dilate(plane, around) + _OVERSHOOT, out=moved)
        light[where] = np.where(np.isnan(moved), light[where], np.sinh(moved) * np.float32(floor))
        # A filter between sites averages their noise.
        height, width = plane.shape
        y, x = np.mgrid[0:height:8, 0:width:8]
        phase = mesh.at(np.stack([x.ravel(), y.ravel()], -1)) % 1.0
        share = squares[np.round(phase * PHASES).astype(int)].prod(1).reshape(x.shape)
        variance[where] *= cv2.resize(share.astype(np.float32), (width, height), interpolation=cv2.INTER_LINEAR)


def _planes(light: np.ndarray, pattern: np.ndarray, floor: float) -> dict[int, tuple[np.ndarray, np.ndarray]]:
    """Red's and blue's stops at half size, each with green's at the same places."""
    light = light[even(light.shape)]
    stops = np.log2(np.maximum(light, floor))
    green = np.zeros_like(stops)
    for channel, where in sites(pattern):
        if channel == 1:
            green[where] = stops[where]
    # At a site of red or blue, the mean of the four greens around it.
    kernel = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], np.float32) / 4
    between = cv2.filter2D(green, -1, kernel, borderType=cv2.BORDER_REFLECT_101)
    return {
        channel: (np.ascontiguousarray(stops[where]), np.ascontiguousarray(between[where]))
        for channel, where in sites(pattern)
        if channel != 1
    }


def radial_shifts(colour: np.ndarray, green: np.ndarray) -> np.ndarray:
    """Radial shifts of a colour against green in tiles, (N, 5): radius, shift outwards and its standard error, and the
    cosine and sine of the way outwards.

    By least squares on the radial gradient (Lucas and Kanade 1981), where the colour's contrast is a share of green's.
    Radius and shifts are in half diagonals.
    """
    height, width = green.shape
    half = float(np.hypot(height, width)) / 2

    def band(stops: np.ndarray) -> np.ndarray:
        return np.asarray(cv2.GaussianBlur(stops, (0, 0), 1.0) - cv2.GaussianBlur(stops, (0, 0), 5.0))

    reference = band(green)
    difference = band(colour) - reference
    y, x = np.ogrid[:height, :width]
    x, y = ((v - np.float32((n - 1) / 2)).astype(np.float32) for v, n in ((x, width), (y, height)))
    radius = np.maximum(np.hypot(x, y), 1)
    slope_x, slope_y = (cv2.Sobel(reference, cv2.CV_32F, *d, ksize=3, scale=1 / 8) for d in ((1, 0), (0, 1)))
    slope = (slope_x * x + slope_y * y) / radius

    def summed(values: np.ndarray) -> np.ndarray:
        rows, columns = height // _TILE, width // _TILE
        return values[: rows * _TILE, : columns * _TILE].reshape(rows, _TILE, columns, _TILE).sum((1, 3))

    # difference = (share - 1) reference - shift slope, in each tile.
    rr, rs, ss = summed(reference**2), summed(reference * slope), summed(slope**2)
    dr, ds, dd = summed(difference * reference), summed(difference * slope), summed(difference**2)
    determinant = np.maximum(rr * ss - rs * rs, 1e-12)
    shift = (dr * rs - ds * rr) / determinant
    share = (dr * ss - ds * rs) / determinant
    left = np.maximum(dd - share * dr + shift * ds, 0)
    # Band-passed samples are not independent: about one in six is.
    error = np.sqrt(left / (_TILE**2 / 6) * rr / determinant) + 1e-3
    far = summed(radius) / _TILE**2 / half
    # Texture finer than the mosaic can tell differs from colour to colour, and seems to move by where the sites lie.
    alike = (rr + dr) / np.sqrt(np.maximum(rr * (rr + 2 * dr + dd), 1e-12))
    good = (error < _UNCERTAIN) & (far > 0.15) & (np.abs(share) < 0.7) & (alike > _ALIKE)
    way = [summed(v / radius)[good] / _TILE**2 for v in (x, y)]
    return np.stack([far[good], shift[good] / half, error[good] / half, *way], -1)


def _fit(shifts: np.ndarray) -> tuple[float, float] | None:
    """a and b of `Fringes` through shifts, robustly (Huber 1964); None if they do not say."""
    if len(shifts) < _LEAST_TILES:
        return None
    radius, shift, error, across, down = shifts.T
    # A shift of all of a colour is none of a lens's, but edges that lie just so on the grid of sites seem to have one.
    terms = np.stack([radius, radius**3, across / 5, down / 5], -1)
    weight = 1 / error**2
    for _ in range(12):
        normal = terms.T @ (terms * weight[:, None])
        found = np.linalg.solve(normal + 1e-9 * np.trace(normal) * np.eye(4), terms.T @ (shift * weight))
        off = np.abs(shift - terms @ found) / error
        scale = max(float(np.median(off)) * 1.4826, 1e-3)
        weight = np.minimum(1, 1.5 * scale / np.maximum(off, 1e-9)) / error**2
    at = np.array([0.8, 0.8**3, 0.0, 0.0])
    uncertain = scale * float(np.sqrt(at @ np.linalg.inv(normal) @ at))
    return (float(found[0]), float(found[1])) if abs(at @ found) > _SURE * uncertain else (0.0, 0.0)


def measure_fringes(light: np.ndarray, pattern: np.ndarray, floor: float) -> Fringes | None:
    """Lateral colour of the lens that drew a mosaic.

    Red and blue are registered on green along the radius, tile by tile, and a radial polynomial is laid through the
    shifts (after Mallon and Whelan 2007, "Calibration and removal of lateral chromatic aberration in images").

    Parameters
    ----------
    light : ndarray, float32 (H, W)
    pattern : ndarray, uint8 (2, 2)
    floor : float
        Light below which noise rules.

    Returns
    -------
    Fringes or None
        None if the picture has too few edges to say.
    """
    planes = _planes(light, pattern, floor)
    starts = {channel: (where[1].start, where[0].start) for channel, where in sites(pattern)}
    total = Fringes()
    for _ in range(_PASSES):
        found = {}
        for channel, (colour, green) in planes.items():
            if total != Fringes():
                mesh = _moved(colour, starts[channel], channel, total, light.shape)
                moved = resample(colour[..., None], mesh)[..., 0]
                colour = np.where(np.isnan(moved), green, moved)
            fit = _fit(radial_shifts(colour, green))
            if fit is None:
                return None
            found[channel] = fit
        more = Fringes(found[0], found[2])
        total = total.plus(more)
        if not more.worth_taking(light.shape):
            break
    return total
