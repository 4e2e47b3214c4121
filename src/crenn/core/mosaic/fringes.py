"""Lateral colour of a lens: measured on a mosaic, and taken back before colours are interpolated.

A lens draws red and blue a little larger or smaller than green. Once a mosaic is interpolated, detail of green is part
of red and blue, and they can no longer be moved apart from it: so the sites of red and blue are moved beforehand.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.resample import PHASES, lanczos, resample
from crenn.core.mosaic.bayer import even, sites

#: Side of the tiles in which a shift is measured, in tiles of the mosaic.
_TILE = 40
#: Tiles whose edges say the shift worse than this, in sites, are left out.
_UNCERTAIN = 0.25
_LEAST_TILES = 24
#: What is less at the corner, in sites of the mosaic, is not worth moving light for.
_WORTH = 0.08
#: A shift must be so many times its standard error to be believed.
_SURE = 5.0
_PASSES = 3
#: By how much moved light may go beyond what lies around it, on its logarithmic scale.
_OVERSHOOT = 0.1


@dataclass(frozen=True)
class Fringes:
    """How much larger than green a lens draws red and blue.

    Light that green would have drawn at the radius *r*, in half diagonals of the sensor's picture, is drawn at
    *r (1 + a + b r²)*.

    Attributes
    ----------
    red, blue : tuple of float
        a and b.
    """

    red: tuple[float, float] = (0.0, 0.0)
    blue: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def of_factors(cls, radius: np.ndarray, red: np.ndarray, blue: np.ndarray) -> "Fringes":
        """The ones nearest to factors (N,) known at radii within the picture."""
        terms = np.stack([np.ones_like(radius), radius**2], -1)
        fits = (np.linalg.lstsq(terms, factor - 1, rcond=None)[0] for factor in (red, blue))
        return cls(*((float(a), float(b)) for a, b in fits))

    def factor(self, radius: np.ndarray, channel: int) -> np.ndarray:
        """By how much larger than green a channel is drawn at radii, in half diagonals."""
        a, b = ((self.red), (0.0, 0.0), (self.blue))[channel]
        return 1 + a + b * np.asarray(radius, np.float64) ** 2

    def times(self, share: float) -> "Fringes":
        """A share of them."""
        (a, b), (c, d) = self.red, self.blue
        return Fringes((a * share, b * share), (c * share, d * share))

    def plus(self, other: "Fringes") -> "Fringes":
        """Both, one after the other, to first order."""
        return Fringes(
            (self.red[0] + other.red[0], self.red[1] + other.red[1]),
            (self.blue[0] + other.blue[0], self.blue[1] + other.blue[1]),
        )

    def worth_taking(self, shape: tuple[int, int]) -> bool:
        """Whether they show in a picture of a shape (H, W)."""
        half = float(np.hypot(*shape)) / 2
        return max(abs(a + b) for a, b in (self.red, self.blue)) * half > _WORTH


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
    """Radial shifts of a colour against green in tiles, (N, 3): radius, shift outwards and its standard error.

    By least squares on the radial gradient (Lucas and Kanade 1981), where the colour's contrast is a share of green's.
    Radius and shifts are in half diagonals.
    """
    height, width = green.shape
    half = float(np.hypot(height, width)) / 2

    def band(stops: np.ndarray) -> np.ndarray:
        return np.asarray(cv2.GaussianBlur(stops, (0, 0), 1.0) - cv2.GaussianBlur(stops, (0, 0), 5.0))

    reference, difference = band(green), band(colour) - band(green)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    x, y = x - (width - 1) / 2, y - (height - 1) / 2
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
    good = (error < _UNCERTAIN) & (far > 0.15) & (np.abs(share) < 0.7)
    return np.stack([far[good], shift[good] / half, error[good] / half], -1)


def _fit(shifts: np.ndarray) -> tuple[float, float] | None:
    """a and b of `Fringes` through shifts, robustly (Huber 1964); None if they do not say."""
    if len(shifts) < _LEAST_TILES:
        return None
    radius, shift, error = shifts.T
    terms = np.stack([radius, radius**3], -1)
    weight = 1 / error**2
    for _ in range(12):
        normal = terms.T @ (terms * weight[:, None])
        found = np.linalg.solve(normal + 1e-9 * np.trace(normal) * np.eye(2), terms.T @ (shift * weight))
        off = np.abs(shift - terms @ found) / error
        scale = max(float(np.median(off)) * 1.4826, 1e-3)
        weight = np.minimum(1, 1.5 * scale / np.maximum(off, 1e-9)) / error**2
    at = np.array([0.8, 0.8**3])
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
            mesh = _moved(colour, starts[channel], channel, total, light.shape)
            moved = resample(colour[..., None], mesh)[..., 0]
            fit = _fit(radial_shifts(np.where(np.isnan(moved), green, moved), green))
            if fit is None:
                return None
            found[channel] = fit
        more = Fringes(found[0], found[2])
        total = total.plus(more)
        if not more.worth_taking(light.shape):
            break
    return total
