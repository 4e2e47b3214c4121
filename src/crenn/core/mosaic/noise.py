"""The sensor's noise model: how sure a raw number is."""

from dataclasses import dataclass
from functools import cache

import numpy as np


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


#: Side of the blocks that noise is measured in, in pixels of one colour's plane.
_BLOCK = 8
#: Of a block without texture the middle frequencies have at most this energy, relative to the highest.
_EVEN = 1.15
_SUM = np.add.outer(np.arange(_BLOCK), np.arange(_BLOCK))
_HIGH, _MIDDLE = _SUM >= 7, (_SUM >= 2) & (_SUM < 7)


def _even_blocks(plane: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Mean and noise variance of blocks that show no texture, each (N,), of a plane (h, w).

    The variance is the energy of the highest frequencies of a block's cosine transform, which a slope hardly reaches.
    Texture has more of the middle ones; white noise has as much of each, however strong it is.
    """
    # It takes long to import, and most files tell their noise.
    from scipy.fft import dctn

    height, width = (n // _BLOCK * _BLOCK for n in plane.shape)
    cut = plane[:height, :width].reshape(height // _BLOCK, _BLOCK, width // _BLOCK, _BLOCK)
    blocks = cut.swapaxes(1, 2).reshape(-1, _BLOCK, _BLOCK)
    energy = dctn(blocks, axes=(1, 2), norm="ortho") ** 2
    high, middle = energy[:, _HIGH].mean(1), energy[:, _MIDDLE].mean(1)
    even = middle < _EVEN * high
    return blocks.mean((1, 2))[even], high[even]


@cache
def _quartile() -> float:
    """Lower quartile of the variance that `_even_blocks` tells of white noise of variance 1."""
    white = np.random.default_rng(1).standard_normal((1024, 1024)).astype(np.float32)
    return float(np.quantile(_even_blocks(white)[1], 0.25))


def smooth_samples(
    mosaic: np.ndarray, pattern: np.ndarray, black: np.ndarray, white: float
) -> tuple[np.ndarray, np.ndarray]:
    """Mean light and variance of blocks of a mosaic that are neither bright nor dead, each float (N,).

    Parameters as of `estimate_noise`; the mosaic begins on a whole tile.
    """
    means, variances = [], []
    for row in range(2):
        for column in range(2):
            colour = pattern[row, column]
            plane = (mosaic[row::2, column::2].astype(np.float32) - black[colour]) / (white - black[colour])
            mean, variance = _even_blocks(plane)
            keep = (mean < 0.85) & (variance > 0)
            means.append(mean[keep])
            variances.append(variance[keep])
    return np.concatenate(means), np.concatenate(variances)


#: The fewest blocks that tell a noise model.
FEWEST = 64


def model_of(mean: np.ndarray, variance: np.ndarray, floor: float) -> NoiseModel:
    """The model by the smoothest blocks at each level of light.

    The line is fitted in the manner of Foi, Trimeche, Katkovnik and Egiazarian (2008), "Practical Poissonian-Gaussian
    noise modeling".

    Parameters
    ----------
    mean, variance : ndarray, float (N,)
        Of at least `FEWEST` blocks, as of `smooth_samples`.
    floor : float
        The least offset: that of quantisation.
    """
    order = np.argsort(mean)
    groups = np.array_split(order, int(np.clip(mean.size // 200, 4, 60)))
    # The lower quartile of a group stands for its smooth blocks: some texture is as fine as noise.
    x = np.array([mean[g].mean() for g in groups])
    slope, offset = 0.0, max(float(np.quantile(variance, 0.25)), floor)
    weight: np.ndarray | None = None
    for _ in range(12):
        # Relative to the line so far: a group may span much light.
        relative = variance / (slope * np.maximum(mean, 0) + offset)
        quartiles = np.array([np.quantile(relative[g], 0.25) for g in groups]) / _quartile()
        y = quartiles * (slope * np.maximum(x, 0) + offset)
        weight = 1.0 / y**2 if weight is None else weight
        matrix = np.array([[np.sum(weight * x * x), np.sum(weight * x)], [np.sum(weight * x), np.sum(weight)]])
        slope, offset = np.linalg.lstsq(matrix, np.array([np.sum(weight * x * y), np.sum(weight * y)]), rcond=None)[0]
        slope, offset = max(slope, 1e-7), max(offset, floor)
        line = slope * np.maximum(x, 0) + offset
        # Texture only ever adds variance: points above the line count less.
        weight = 1.0 / line**2 / (1.0 + np.maximum(y / line - 1.0, 0.0) ** 2 * 25.0)
    return NoiseModel(np.full(3, slope, np.float32), np.full(3, offset, np.float32))


def scaled_model(mean: np.ndarray, variance: np.ndarray, told: NoiseModel) -> NoiseModel:
    """A model told by a file, as many times as strong as the smoothest blocks are.

    Parameters as of `model_of`. Where all light is alike, slope and offset cannot be told apart.
    """
    relative = variance / (told.slope[1] * np.maximum(mean, 0) + told.offset[1])
    factor = np.float32(np.quantile(relative, 0.25) / _quartile())
    return NoiseModel(told.slope * factor, told.offset * factor)


def quantisation(black: np.ndarray, white: float) -> float:
    """Variance of rounding to whole numbers."""
    return float((1.0 / (white - black.mean())) ** 2 / 12.0)


def estimate_noise(
    mosaic: np.ndarray, pattern: np.ndarray, black: np.ndarray, white: float, least: NoiseModel | None = None
) -> NoiseModel:
    """Estimate the noise model from one frame, where its file has no noise profile.

    Parameters
    ----------
    mosaic : ndarray, uint16 (H, W)
    pattern : ndarray, uint8 (2, 2)
    black : ndarray, float32 (3,)
    white : float
    least : NoiseModel, optional
        There is no less noise than this, whatever smooth places show: that of light which was rounded.

    Returns
    -------
    NoiseModel
        One slope for all colours and one offset, as one amplifier serves them all.
    """
    mean, variance = smooth_samples(mosaic, pattern, black, white)
    floor = quantisation(black, white)
    if mean.size >= FEWEST:
        found = model_of(mean, variance, floor)
    elif least is None:
        found = NoiseModel(np.full(3, 1e-4, np.float32), np.full(3, max(floor, 1e-7), np.float32))
    else:
        return least
    if least is None:
        return found
    return NoiseModel(np.maximum(found.slope, least.slope), np.maximum(found.offset, least.offset))
