"""The sensor's noise model: how sure a raw number is."""

from dataclasses import dataclass

import numpy as np

#: Lower quartile of the chi-squared distribution of 14 degrees of freedom, as a share of its mean (Abramowitz and
#: Stegun 1964, 26.4).
_QUARTILE = 10.16531380537706 / 14


@dataclass(frozen=True)
class NoiseModel:
    """Variance of raw light x, where 0 is black and 1 saturation: ``var(x) = slope x + offset``.

    Attributes
    ----------
    slope, offset : ndarray, float32 (3,)
        Per colour R, G, B: photon noise and read noise (Foi et al. 2008; DNG 1.7, tag NoiseProfile).
    """

    slope: np.ndarray
    offset: np.ndarray

    @classmethod
    def from_profile(cls, pairs) -> "NoiseModel":
        """From (slope, offset) pairs per colour."""
        table = np.array(pairs, np.float32)
        return cls(table[:, 0].copy(), table[:, 1].copy())

    def variance(self, light, colour: int = 1):
        """Variance of raw light of a colour; light below black counts as black."""
        return self.slope[colour] * np.maximum(light, 0) + self.offset[colour]


def _smooth_blocks(plane: np.ndarray, size: int = 8) -> tuple[np.ndarray, np.ndarray]:
    """Mean and noise variance of square blocks, each (N,); the variance from second differences."""
    height, width = (n // size * size for n in plane.shape)
    plane = plane[:height, :width]
    blocks = plane.reshape(height // size, size, width // size, size).swapaxes(1, 2).reshape(-1, size, size)
    # Second differences cancel a slope across the block (Immerkær 1996); their kernel has energy 36.
    d = blocks[:, :-2] - 2 * blocks[:, 1:-1] + blocks[:, 2:]
    d = d[:, :, :-2] - 2 * d[:, :, 1:-1] + d[:, :, 2:]
    return blocks.mean((1, 2)), (d**2).mean((1, 2)) / 36.0


def estimate_noise(mosaic: np.ndarray, pattern: np.ndarray, black: np.ndarray, white: float) -> NoiseModel:
    """Estimate the noise model from one frame, where its file has no noise profile.

    The variance of the smoothest blocks at each level of light is fitted by a line, in the manner of
    Foi, Trimeche, Katkovnik and Egiazarian (2008), "Practical Poissonian-Gaussian noise modeling".

    Parameters
    ----------
    mosaic : ndarray, uint16 (H, W)
    pattern : ndarray, uint8 (2, 2)
    black : ndarray, float32 (3,)
    white : float

    Returns
    -------
    NoiseModel
        One slope for all colours and one offset, as one amplifier serves them all.
    """
    means, variances = [], []
    for row in range(2):
        for column in range(2):
            colour = pattern[row, column]
            plane = (mosaic[row::2, column::2].astype(np.float32) - black[colour]) / (white - black[colour])
            mean, variance = _smooth_blocks(plane)
            keep = (mean < 0.85) & (variance > 0)
            means.append(mean[keep])
            variances.append(variance[keep])
    mean, variance = np.concatenate(means), np.concatenate(variances)
    floor = (1.0 / (white - black.mean())) ** 2 / 12.0
    if mean.size < 64:
        return NoiseModel(np.full(3, 1e-4, np.float32), np.full(3, max(floor, 1e-7), np.float32))
    order = np.argsort(mean)
    groups = np.array_split(order, int(np.clip(mean.size // 200, 4, 60)))
    # The lower quartile of a group stands for its smooth blocks; for pure noise it lies at this share of the
    # mean. The second differences of a block's 36 places overlap and count as about 14 free ones.
    quartile = _QUARTILE
    x = np.array([mean[g].mean() for g in groups])
    y = np.array([np.quantile(variance[g], 0.25) for g in groups]) / quartile
    # Texture only ever adds variance: fit, then let points above the line count less.
    weight = 1.0 / y**2
    slope, offset = 1e-4, float(y.min())
    for _ in range(12):
        matrix = np.array([[np.sum(weight * x * x), np.sum(weight * x)], [np.sum(weight * x), np.sum(weight)]])
        slope, offset = np.linalg.lstsq(matrix, np.array([np.sum(weight * x * y), np.sum(weight * y)]), rcond=None)[0]
        slope, offset = max(slope, 1e-7), max(offset, floor)
        line = slope * np.maximum(x, 0) + offset
        weight = 1.0 / line**2 / (1.0 + np.maximum(y / line - 1.0, 0.0) ** 2 * 25.0)
    return NoiseModel(np.full(3, slope, np.float32), np.full(3, offset, np.float32))
