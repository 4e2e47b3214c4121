"""Frees a scene's light of noise, part by part and at several scales.

The light is brought to a scale on which noise is even (`Stabiliser`), split into luminance and two differences, and
filtered block by block with the spectrum that the rebuilding of colour gives its noise in light of such a colour. What
is coarser than a block is left to the same at half the size, and so on (Pierazzo, Morel and Facciolo 2017, "Multi-scale
DCT denoising"). Colour is rebuilt once more from what is clean: its directions are told far better then. That
rebuilding first and filtering after it keeps more detail than the other way round was found by Jin, Facciolo and Morel
(2020, "A review of an old dilemma: demosaicking first, or denoising first?").
"""

from collections.abc import Callable

import cv2
import numpy as np

from crenn.core.mosaic.bayer import sites
from crenn.core.mosaic.demosaic import interpolate
from crenn.core.noise.averaging import FACTORS, reduced
from crenn.core.noise.blocks import LEAST, PASSES, REACH, collaborate, energies
from crenn.core.noise.spectrum import COLOURS, OPPONENT, DemosaicNoise, halved, tile_of
from crenn.core.noise.stabilise import Stabiliser
from crenn.core.pipeline.scene import Capture
from crenn.core.progress import Progress

#: Sizes at which blocks are filtered, each half the one before.
SCALES = 4
#: Filters act as if the noise were so many times what is predicted: blocks that look alike share some of it.
_TRUST = 1.1
#: Pixels beyond a part that the two passes of a filter look at.
_MARGIN = 2 * REACH + 8
#: By how much a coarser result is smoothed where it takes over, in its own pixels, and how far that reaches.
_SOFT, _OVERLAP = 1.4, 8
#: Cells for which a level of noise is known, in pixels, and what parts of a picture start at multiples of.
_CELL = 8
_LATTICE = _CELL * 2 ** (SCALES - 1)
#: Share of blocks that counts as smooth where noise is measured.
_SMOOTH = 0.03
#: Gradient that the noise left by a filter gives, on the even scale, and the pixels that rebuilding colour needs.
_LEFT, _BORDER = 0.1, 16
_TEXT = "Taking noise out"

Box = tuple[int, int, int, int]


class Cleaner:
    """Frees parts of one scene of noise.

    Parameters
    ----------
    rgb : ndarray, float32 (H, W, 3)
        Scene-linear light; may lie on disk.
    sigma : ndarray, float32 (H, W, 3), or None
        Its predicted deviation. None, or nothing but zeros, if there is no prediction: the noise is measured then.
    capture : Capture
        What is known of the sensor's colours and of its mosaic, if there was one.
    """

    def __init__(self, rgb: np.ndarray, sigma: np.ndarray | None, capture: Capture):
        self._rgb, self._sigma = rgb, sigma
        self.size = (rgb.shape[0], rgb.shape[1])
        self._to_camera = capture.balanced.astype(np.float32)
        self._matrix = np.linalg.inv(capture.balanced)
        self._noise = DemosaicNoise(self._matrix)
        self._tile = None if capture.mosaic is None else tile_of(capture.mosaic)
        step = max(1, int(np.sqrt(self.size[0] * self.size[1] / 2e5)))
        sample = np.asarray(rgb[::step, ::step]) @ self._to_camera.T
        if sigma is None or not np.any(sigma[::step, ::step]):
            self._sigma = None
            self._even = np.float32(self._measured_variance())
            variance = np.broadcast_to(self._even, sample.shape)
        else:
            variance = np.asarray(sigma[::step, ::step]) ** 2
        #: Of the compressive scale that colour was rebuilt on; without one it is as if that had been straight.
        self._scale = capture.scale
        slope = self._slope(sample)
        of_sites = self._noise.of_sites(variance, slope)
        of_green = self._noise.of_opponents(of_sites, slope * [0.0, 1.0, 0.0])[..., 0] * 4
        self._stabiliser = Stabiliser(sample[..., 1], of_green, float(sample.max()))
        rate = self._stabiliser.rate(np.maximum(sample, 0.0)) * slope
        #: Variance of the sites, and rate of the scale, that stand for the scene.
        self._typical = np.median(of_sites.reshape(-1, 3), 0), np.full(3, np.median(rate[..., 1]))
        self._noise_alone = self._noise.planes(*self._typical)
        #: How many times as strong as told the noise is taken for, float32 (3, 64), at each scale.
        self._factors = [np.full((3, 64), _TRUST**2, np.float32) for _ in range(SCALES)]
        if self._tile is None or capture.developed:
            # Of a developed picture colour has been rebuilt once more; of any other nothing is known.
            self._fit_spectra(1e4 if self._tile is None else 30.0)

    def _measured_variance(self) -> float:
        """Variance of the light's noise where nothing predicts it: from the smoothest blocks' second differences."""
        height, width = (min(n, 1024) for n in self.size)
        top, left = (self.size[0] - height) // 2, (self.size[1] - width) // 2
        part = np.asarray(self._rgb[top : top + height, left : left + width]).mean(-1)
        part = cv2.filter2D(part, -1, np.outer([1, -2, 1], [1, -2, 1]).astype(np.float32) / 6)
        energy = cv2.resize(part * part, (max(width // 16, 1), max(height // 16, 1)), interpolation=cv2.INTER_AREA)
        return max(float(np.quantile(energy, 0.1)), 1e-14)

    def _fit_spectra(self, most: float) -> None:
        """Measure, in the smoothest blocks, how the noise departs from a sensor's.

        No coefficient has more than ``most`` times the energy of the latter.
        """
        side = _LATTICE * 8
        found: list[list[np.ndarray]] = [[] for _ in range(SCALES)]
        tops = np.unique(np.linspace(0, max(self.size[0] - side, 0), 3).astype(int) // _LATTICE * _LATTICE)
        lefts = np.unique(np.linspace(0, max(self.size[1] - side, 0), 4).astype(int) // _LATTICE * _LATTICE)
        for top in tops:
            for left in lefts:
                box = top, left, min(side, self.size[0] - top), min(side, self.size[1] - left)
                planes, noise = self._planes(box)
                for scale in range(SCALES):
                    if min(planes.shape[1:]) >= LEAST:
                        here = self._variances(noise, scale, 1.0).mean((1, 2))
                        found[scale].append((energies(planes) / here[:, None, None, :]).reshape(3, -1, 64))
                    planes, noise = halved(planes), halved(noise)
        alone = self._noise_alone
        for scale, blocks in enumerate(found):
            if not blocks:
                continue
            told = self._noise.spectra(self._typical[0][None], self._typical[1][None], scale)
            # The smoothest blocks of noise alone have less than the mean energy: they are what is compared.
            ratio = _smooth(np.concatenate(blocks, 1) * told, told[:, 0])
            ratio /= _smooth(energies(alone).reshape(3, -1, 64), told[:, 0])
            ratio[:, 0] = np.minimum(ratio[:, 0], 0.5 * (ratio[:, 1] + ratio[:, 8]))
            self._factors[scale] *= np.clip(ratio, 0.02, most).astype(np.float32)
            alone = halved(alone)

    def _slope(self, light: np.ndarray) -> np.ndarray:
        """By how much light grows per step of the compressive scale at it, float64 like ``light``."""
        return np.ones(light.shape) if self._scale is None else np.asarray(np.hypot(light, self._scale), np.float64)

    def _planes(self, box: Box) -> tuple[np.ndarray, np.ndarray]:
        """Opponent planes of a part on the even scale, float32 (3, h, w), and what is known of noise in its cells.

        The part, (top, left, height, width), starts on the lattice. The second is float32 (6, h // 8 + 1, w // 8 + 1):
        variance of red, green and blue sites on the compressive scale, and by how much the even one grows with it.
        """
        top, left, height, width = box
        where = np.s_[top : top + height, left : left + width]
        light = np.ascontiguousarray(np.asarray(self._rgb[where]) @ self._to_camera.T)
        stable = self._stabiliser.stable(light)
        planes = np.ascontiguousarray((stable @ OPPONENT.T.astype(np.float32)).transpose(2, 0, 1))
        if self._sigma is None:
            variance = np.full(light.shape, self._even, np.float32)
        else:
            variance = np.asarray(self._sigma[where]) ** 2
        cells = height // _CELL + 1, width // _CELL + 1

        def in_cells(values: np.ndarray) -> np.ndarray:
            border = cells[0] * _CELL - height, cells[1] * _CELL - width
            larger = cv2.copyMakeBorder(values, 0, border[0], 0, border[1], cv2.BORDER_REPLICATE)
            return cv2.resize(larger, cells[::-1], interpolation=cv2.INTER_AREA)

        mean = np.maximum(in_cells(cv2.blur(light, (9, 9))), 0.0)
        slope = self._slope(mean)
        of_sites = self._noise.of_sites(in_cells(variance), slope)
        noise = np.concatenate([of_sites, self._stabiliser.rate(mean) * slope], -1).transpose(2, 0, 1)
        return planes, np.ascontiguousarray(noise, np.float32)

    def _variances(self, noise: np.ndarray, scale: int, factor: np.ndarray | float) -> np.ndarray:
        """Variance of blocks' coefficients in cells, float32 (3, rows, columns, 64), by what `_planes` knows."""
        flat = noise.reshape(6, -1).T
        told = self._noise.spectra(flat[:, :3], flat[:, 3:], scale)
        told *= np.broadcast_to(factor, (3, 64))[:, None]
        return told.reshape(3, *noise.shape[1:], 64)

    def clean(self, box: Box, progress: Progress | None = None) -> tuple[np.ndarray, np.ndarray]:
        """A part of the light without its noise, and as if there had been twice as much.

        The same place comes out the same, whatever part it is asked for in.

        Parameters
        ----------
        box : tuple of int
            Top, left, height and width, within the scene.
        progress : Progress, optional
            Can cancel between passes of the filter.

        Returns
        -------
        clean, stronger : ndarray, float32 (height, width, 3)
        """
        top, left, height, width = box
        progress = progress or Progress()
        border = _BORDER if self._tile is not None else 0
        y0, x0 = max(top - border, 0) // 2 * 2, max(left - border, 0) // 2 * 2
        y1, x1 = min(top + height + border, self.size[0]), min(left + width + border, self.size[1])
        # How much of the scene the coarsest filter must see, in full-size pixels.
        reach = (_MARGIN + _OVERLAP) * (2**SCALES - 1) // 2 + _LATTICE
        fy, fx = (max(v - reach, 0) // _LATTICE * _LATTICE for v in (y0, x0))
        far_y, far_x = min(y1 + reach, self.size[0]), min(x1 + reach, self.size[1])
        planes, noise = self._planes((fy, fx, far_y - fy, far_x - fx))
        found = self._filtered(planes, noise, 0, (fy, fx), (y0, x0, y1, x1), _told(progress.part(0.08, 0.86)))
        inside = np.s_[top - y0 : top - y0 + height, left - x0 : left - x0 + width]
        out = []
        for number, opponents in enumerate(found):
            progress.at(0.86 + 0.07 * number, _TEXT)
            stable = np.ascontiguousarray(opponents.transpose(1, 2, 0) @ COLOURS.T.astype(np.float32))
            if self._tile is not None:
                stable = self._rebuilt(stable)
            light = self._stabiliser.light(stable)
            rgb = light @ self._matrix.T.astype(np.float32)
            out.append(np.ascontiguousarray(rgb[inside]))
        return out[0], out[1]

    def gains_db(self) -> tuple[tuple[float, ...], tuple[float, ...]]:
        """By how much signal to noise of luminance grows in smooth places, in dB, at strengths 1 and 2.

        At full size and in pictures made smaller by the other `FACTORS`. Measured on noise alone, as this scene's is
        told: what a filter leaves of it there is known.
        """
        noise = self._noise_alone
        planes = noise + np.array([20.0, 0.0, 0.0], np.float32)[:, None, None]
        typical = np.concatenate(self._typical).astype(np.float32)[:, None, None]
        known = np.tile(typical, (1, noise.shape[1] // _CELL + 1, noise.shape[2] // _CELL + 1))
        inner = np.s_[_MARGIN:-_MARGIN, _MARGIN:-_MARGIN]
        height, width = noise.shape[1:]
        results = self._filtered(planes, known, 0, (0, 0), (0, 0, height, width), _told(Progress()))
        before, *left = (np.ascontiguousarray(p) for p in (noise[0][inner], results[0][0][inner], results[1][0][inner]))

        def gain(after: np.ndarray, factor: int) -> float:
            parts = [float(reduced(p, factor).std()) for p in (before, after)]
            return round(float(20 * np.log10(parts[0] / max(parts[1], 1e-6))), 2)

        one, two = (tuple(gain(after, factor) for factor in FACTORS) for after in left)
        return one, two

    def _rebuilt(self, stable: np.ndarray) -> np.ndarray:
        """Colour rebuilt from the sites of the mosaic on the even scale, float32 (h, w, 3); it begins on an even place.

        That scale lies between light and its logarithm: edges between strong colours are told better on it than on
        either.
        """
        assert self._tile is not None
        height, width = stable.shape[:2]
        if min(height, width) < 16:
            return stable
        mosaic = np.empty((height, width), np.float32)
        for colour, where in sites(self._tile):
            mosaic[where] = stable[where][..., colour]
        return interpolate(mosaic, self._tile, np.full(mosaic.shape, _LEFT, np.float32))

    def _filtered(
        self,
        planes: np.ndarray,
        noise: np.ndarray,
        scale: int,
        origin: tuple[int, int],
        box: Box,
        passed: Callable[[int], None],
    ) -> tuple[np.ndarray, np.ndarray]:
        """Planes of a box (y0, x0, y1, x1) filtered at a scale and all coarser ones; of the scale's pixels all.

        ``passed`` is told the scale of each pass.
        """
        y0, x0, y1, x1 = box
        height, width = planes.shape[1:]
        # The part that is filtered here, in pixels of the planes that are given; it starts on a cell.
        top, left = (max(v - o - _MARGIN, 0) // _CELL * _CELL for v, o in ((y0, origin[0]), (x0, origin[1])))
        bottom = min(max(y1 - origin[0] + _MARGIN, top + LEAST), height)
        right = min(max(x1 - origin[1] + _MARGIN, left + LEAST), width)
        top, left = (max(min(a, b - LEAST), 0) // _CELL * _CELL for a, b in ((top, bottom), (left, right)))
        part = np.ascontiguousarray(planes[:, top:bottom, left:right])
        cells = top // _CELL, left // _CELL, part.shape[1] // _CELL + 1, part.shape[2] // _CELL + 1
        own = noise[:, cells[0] : cells[0] + cells[2], cells[1] : cells[1] + cells[3]]
        first = origin[0] + top, origin[1] + left
        short = [max(LEAST - n, 0) for n in part.shape[1:]]
        if any(short):
            part = np.stack([cv2.copyMakeBorder(p, 0, short[0], 0, short[1], cv2.BORDER_REFLECT) for p in part])
            more = [(n // _CELL + 1) - m for n, m in zip(part.shape[1:], own.shape[1:])]
            own = np.pad(own, ((0, 0), (0, max(more[0], 0)), (0, max(more[1], 0))), "edge")
        variances = self._variances(own, scale, self._factors[scale])
        results = list(collaborate(part, variances, first, lambda: passed(scale)))
        inside = np.s_[:, y0 - first[0] : y1 - first[0], x0 - first[1] : x1 - first[1]]
        if scale + 1 < SCALES and min(height, width) >= 2 * LEAST:
            ends = -(-height // 2) + origin[0] // 2, -(-width // 2) + origin[1] // 2
            cy0, cx0 = max(y0 // 2 - _OVERLAP, origin[0] // 2), max(x0 // 2 - _OVERLAP, origin[1] // 2)
            cy1, cx1 = min(-(-y1 // 2) + _OVERLAP, ends[0]), min(-(-x1 // 2) + _OVERLAP, ends[1])
            coarse = self._filtered(
                halved(planes),
                self._halved_noise(noise),
                scale + 1,
                (origin[0] // 2, origin[1] // 2),
                (cy0, cx0, cy1, cx1),
                passed,
            )
            for k, better in enumerate(coarse):
                within = results[k][:, 2 * cy0 - first[0] : 2 * cy1 - first[0], 2 * cx0 - first[1] : 2 * cx1 - first[1]]
                departs = better - halved(within)[:, : better.shape[1], : better.shape[2]]
                wide = np.stack(
                    [
                        cv2.resize(cv2.GaussianBlur(d, (0, 0), _SOFT), None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
                        for d in departs
                    ]
                )
                shown = np.s_[:, y0 - 2 * cy0 : y1 - 2 * cy0, x0 - 2 * cx0 : x1 - 2 * cx0]
                results[k] = results[k][inside] + wide[shown]
            return results[0], results[1]
        return np.ascontiguousarray(results[0][inside]), np.ascontiguousarray(results[1][inside])

    @staticmethod
    def _halved_noise(noise: np.ndarray) -> np.ndarray:
        """What is known in cells twice as large, and one more each way, as half the planes may need."""
        return np.pad(halved(noise), ((0, 0), (0, 1), (0, 1)), "edge")


def _told(progress: Progress) -> Callable[[int], None]:
    """Tells progress of passes: each scale has a quarter of the pixels of the one before."""
    done, whole = 0.0, PASSES * sum(4.0**-scale for scale in range(SCALES))

    def passed(scale: int) -> None:
        nonlocal done
        done += 4.0**-scale / whole
        progress.at(min(done, 1.0), _TEXT)

    return passed


def _smooth(energy: np.ndarray, told: np.ndarray) -> np.ndarray:
    """Mean energy of the smoothest blocks, float (3, 64), of squared coefficients (3, N, 64)."""
    out = []
    for own, spectrum in zip(energy, told):
        # What has hardly any noise of a sensor's must not outweigh all else where other noise is there.
        relative = (own[:, 1:] / np.maximum(spectrum[1:], 0.1 * spectrum[1:].mean())).mean(-1)
        out.append(own[relative <= np.quantile(relative, _SMOOTH)].mean(0))
    return np.stack(out)
