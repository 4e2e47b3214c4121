"""What the rebuilding of colour makes of a mosaic's noise.

On the mosaic noise is white and each site's is its own; once colour is rebuilt, neighbours and colours share it. What
comes of the noise of red, green and blue sites is found by sending such noise through.
"""

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np

from crenn.core.mosaic.bayer import sites
from crenn.core.mosaic.demosaic import interpolate
from crenn.core.noise.blocks import coefficients

#: From red, green and blue to luminance and two differences; and back.
OPPONENT = np.array([[0.25, 0.5, 0.25], [0.5, 0.0, -0.5], [-0.25, 0.5, -0.25]])
COLOURS = np.linalg.inv(OPPONENT)
#: The four tiles there are.
PATTERNS = ("RGGB", "BGGR", "GRBG", "GBRG")
_SIDE = 320
#: The products there are of three colours.
_PAIRS = tuple((a, b) for a in range(3) for b in range(a, 3))


def tile_of(name: str) -> np.ndarray:
    """The tile of a pattern of `PATTERNS`, uint8 (2, 2)."""
    return np.array(["RGB".index(c) for c in name], np.uint8).reshape(2, 2)


def halved(planes: np.ndarray) -> np.ndarray:
    """Planes (C, H, W) at half the size, float32 (C, ⌈H/2⌉, ⌈W/2⌉): means of two by two pixels."""
    height, width = planes.shape[1:]
    out = []
    for plane in planes:
        if height % 2 or width % 2:
            plane = cv2.copyMakeBorder(plane, 0, height % 2, 0, width % 2, cv2.BORDER_REFLECT_101)
        out.append(cv2.resize(plane, ((width + 1) // 2, (height + 1) // 2), interpolation=cv2.INTER_AREA))
    return np.stack(out)


@cache
def answers() -> np.ndarray:
    """Rebuilt colour of white noise of unit variance at the sites of each colour, float32 (3, 3, H, W).

    On even ground. The first axis is that of the sites' colour.
    """
    noise = np.random.default_rng(1).standard_normal((_SIDE, _SIDE)).astype(np.float32)
    pattern = tile_of("RGGB")
    # A floor far above the noise: on even ground the directions mix equally.
    even = np.full(noise.shape, 1e6, np.float32)
    out = []
    for colour in range(3):
        lone = np.zeros_like(noise)
        for c, where in sites(pattern):
            if c == colour:
                lone[where] = noise[where]
        out.append(interpolate(lone, pattern, even).transpose(2, 0, 1))
    return np.stack(out)


@cache
def _covariances() -> np.ndarray:
    return np.stack([np.cov(answer.reshape(3, -1)) for answer in answers()])


@cache
def _powers(scale: int) -> np.ndarray:
    """Mean products of the coefficients of blocks of `answers`, float32 (3 · 6, 64), at a scale."""
    out = []
    for planes in answers():
        for _ in range(scale):
            planes = halved(planes)
        blocks = coefficients(planes).reshape(3, -1, 64)
        for a, b in _PAIRS:
            product = np.einsum("ni,ni->i", blocks[a], blocks[b], dtype=np.float64) / blocks.shape[1]
            out.append(product * (1.0 if a == b else 2.0))
    return np.asarray(out, np.float32)


def _products(values: np.ndarray) -> np.ndarray:
    """Products of each of three values with each, (..., 9) of (..., 3)."""
    return (values[..., :, None] * values[..., None, :]).reshape(*values.shape[:-1], 9)


@dataclass(frozen=True)
class DemosaicNoise:
    """Noise of rebuilt colour, in the camera's colours.

    Colour is rebuilt on a compressive scale (`crenn.core.mosaic.demosaic.compressed`): noise of a site reaches other
    colours in proportion to their light, where there is much of it. So variances of sites are those on that scale, and
    ``slope`` is by how much light grows per step of it.

    Attributes
    ----------
    matrix : ndarray, float64 (3, 3)
        From the camera's colours to the light's.
    """

    matrix: np.ndarray

    def of_sites(self, variance: np.ndarray, slope: np.ndarray) -> np.ndarray:
        """Variance of red, green and blue sites, float64 (..., 3), that gives the light this variance, (..., 3).

        ``slope`` is that of each colour, float64 (..., 3).
        """
        # What a site gives to each colour, by the products of slopes.
        shares = np.einsum("ic,id,scd->cdis", self.matrix, self.matrix, _covariances()).reshape(9, 9)
        given = (_products(slope) @ shares).reshape(*slope.shape[:-1], 3, 3)
        variance = np.asarray(variance, np.float64)
        found = np.linalg.solve(given, variance[..., None])[..., 0]
        # Rounding must not make a variance negative where one colour's noise rules.
        return np.asarray(np.maximum(found, 1e-2 * variance / np.maximum(slope, 1e-12) ** 2))

    @staticmethod
    def of_opponents(of_sites: np.ndarray, rate: np.ndarray) -> np.ndarray:
        """Variance of the `OPPONENT` planes, float64 (..., 3), on a scale.

        Parameters
        ----------
        of_sites : ndarray, float64 (..., 3)
            Variance of the sites.
        rate : ndarray, float64 (..., 3)
            By how much the scale wanted grows per step of the compressive one, for each colour.
        """
        shares = np.einsum("oc,od,scd->cdso", OPPONENT, OPPONENT, _covariances()).reshape(9, 9)
        given = (_products(rate) @ shares).reshape(*rate.shape[:-1], 3, 3)
        return np.asarray((of_sites[..., None] * given).sum(-2))

    @staticmethod
    def spectra(of_sites: np.ndarray, rate: np.ndarray, scale: int = 0) -> np.ndarray:
        """Variance of the coefficients of a block of the `OPPONENT` planes, float32 (3, N, 64).

        Parameters
        ----------
        of_sites, rate : ndarray, float (N, 3)
            As of `of_opponents`.
        scale : int
            How many times the planes were `halved`.
        """
        mixed = (OPPONENT * rate[:, None, :]).astype(np.float32)
        first, second = np.array(_PAIRS).T
        powers = _powers(scale)
        out = np.empty((3, len(of_sites), 64), np.float32)
        for plane in range(3):
            products = mixed[:, plane, first] * mixed[:, plane, second]
            by_site = of_sites.astype(np.float32)[:, :, None] * products[:, None, :]
            np.matmul(by_site.reshape(len(of_sites), -1), powers, out=out[plane])
        # Sums of products of either sign: rounding must not make a variance negative.
        return np.maximum(out, 1e-9, out=out)

    @staticmethod
    def planes(of_sites: np.ndarray, rate: np.ndarray) -> np.ndarray:
        """`OPPONENT` planes of noise alone, float32 (3, H, W), at one variance of the sites and one rate, (3,)."""
        mixed = OPPONENT * rate
        planes = np.einsum("s,oc,scyx->oyx", np.sqrt(of_sites), mixed, answers(), optimize=True)
        return np.ascontiguousarray(planes, np.float32)
