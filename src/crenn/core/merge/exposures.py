"""How much more light each frame recorded than the others, found from the frames themselves."""

from dataclasses import dataclass

import numba as nb
import numpy as np

from crenn.core.frames.light import LightFrame
from crenn.core.frames.raw import RawFrame

_BLOCK = 16
#: A block must be at least this many deviations of its mean above black to say anything.
_SURE = 25.0
#: Blocks differ from frame to frame by this share, whatever their noise.
_UNEVEN = 5e-4
#: Black drifts between frames by so much of a dark site's noise.
_DRIFT = 0.5
#: Deviation of shutters from what the file tells, in stops.
_SHUTTER = 0.1


@dataclass(frozen=True)
class ExposureRatio:
    """Sensitivity of one frame relative to another, from metadata and as refined.

    ``error`` is the standard error of the refined value in stops; None where too little of the picture was
    measured well by both frames, and then ``refined`` is the metadata's value.
    """

    nominal: float
    refined: float
    error: float | None


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _green_blocks(dark, bright, pattern, black_dark, scale_dark, black_bright, scale_bright, top):
    """Means of green over blocks where no site of the brighter frame nears saturation, else NaN."""
    rows, columns = dark.shape[0] // _BLOCK, dark.shape[1] // _BLOCK
    out = np.full((2, rows, columns), np.nan, np.float32)
    for i in nb.prange(rows):
        for j in range(columns):
            a, b, n, ok = 0.0, 0.0, 0, True
            for y in range(i * _BLOCK, (i + 1) * _BLOCK):
                for x in range(j * _BLOCK, (j + 1) * _BLOCK):
                    if pattern[y & 1, x & 1] != 1:
                        continue
                    v = (bright[y, x] - black_bright) * scale_bright
                    if v > top:
                        ok = False
                    a += (dark[y, x] - black_dark) * scale_dark
                    b += v
                    n += 1
            if ok:
                out[0, i, j] = a / n
                out[1, i, j] = b / n
    return out


def measure_ratio(dark: LightFrame, bright: LightFrame, nominal: float) -> ExposureRatio:
    """Ratio of two frames' sensitivities, bright over dark.

    The dark frame's block means are a line in the bright one's: its slope is the ratio, its offset what the black
    level drifted between the frames, which would pass for light in the dark one. Photon noise weights the blocks, and
    Tukey's biweight takes the say from what moved between the frames. Where little light tells the two apart, the
    metadata's value has a say too.

    Parameters
    ----------
    dark, bright : LightFrame
    nominal : float
        The ratio that the metadata tell.
    """
    scales = [1.0 / (f.levels.white - f.levels.black[1]) for f in (dark, bright)]
    blocks = _green_blocks(
        dark.mosaic,
        bright.mosaic,
        dark.pattern,
        dark.levels.black[1],
        np.float32(scales[0]),
        bright.levels.black[1],
        np.float32(scales[1]),
        np.float32(0.9),
    )
    a, b = blocks[0].ravel(), blocks[1].ravel()
    sites = _BLOCK * _BLOCK / 2
    a, b = (v[np.isfinite(b)].astype(np.float64) for v in (a, b))
    # Blocks are chosen and weighted by what the bright frame makes of them: by the dark one's own light, those that
    # noise brightened would be.
    slope = 1.0 / nominal
    expected = np.maximum(b * slope, 0)
    var_a, var_b = dark.noise.variance(expected) / sites, bright.noise.variance(b) / sites
    keep = b > _SURE * np.sqrt(var_b)
    if (expected > _SURE * np.sqrt(var_a)).sum() < 12:
        return ExposureRatio(nominal, nominal, None)
    a, b, expected = a[keep], b[keep], expected[keep]
    # Fixed-pattern noise and flicker keep even a perfect block from being surer than this.
    variance = var_a[keep] + slope**2 * var_b[keep] + (_UNEVEN * expected) ** 2
    drift = _DRIFT**2 * float(dark.noise.variance(np.zeros(1))[0] + slope**2 * bright.noise.variance(np.zeros(1))[0])
    line, spread = np.array([slope, 0.0]), 1.0
    weight, about = 1.0 / variance, np.stack([b, np.ones_like(b)], 1)
    covariance = np.eye(2)
    for round_ in range(20):
        off = (a - about @ line) / np.sqrt(variance)
        if round_ < 3:
            spread = max(1.4826 * float(np.median(np.abs(off))), 1.0)
        u = off / (4.7 * spread)
        weight = np.where(np.abs(u) < 1, (1 - u**2) ** 2, 0.0) / (variance * spread**2)
        if weight.sum() <= 0:
            return ExposureRatio(nominal, nominal, None)
        covariance = np.linalg.inv((about * weight[:, None]).T @ about + np.diag([0.0, 1.0 / drift]))
        line = covariance @ (about * weight[:, None]).T @ a
    if line[0] <= 0:
        return ExposureRatio(nominal, nominal, None)
    told, found = float(np.log2(nominal)), -float(np.log2(line[0]))
    error = float(np.sqrt(covariance[0, 0])) / float(line[0]) / np.log(2)
    # A few blocks that agree by chance may not overrule the shutter by much.
    if abs(found - told) > 1.0 and error > 0.01:
        return ExposureRatio(nominal, nominal, None)
    if abs(found - told) < 3 * np.hypot(error, _SHUTTER):
        trust = _SHUTTER**2 / (_SHUTTER**2 + error**2)
        found, error = told + trust * (found - told), error * np.sqrt(trust)
    return ExposureRatio(nominal, float(2.0**found), float(error))


def saturation_level(frame: RawFrame) -> float:
    """Raw number from which a frame counts as clipped.

    Sensors often clip somewhat below the white level that their file names: where the brightest numbers pile
    up, the pile is the level.
    """
    top = int(frame.mosaic.max())
    nominal = frame.white
    span = frame.white - float(frame.black.mean())
    step = max(span * 0.004, 2.0)
    if nominal - 0.5 * step > top > frame.black.mean() + 0.3 * span:
        counts = np.bincount(frame.mosaic.ravel(), minlength=top + 1)
        pile = counts[int(top - step) :].sum()
        below = counts[int(top - 3 * step) : int(top - step)].sum() / 2
        if pile > 30 and pile > 8 * below:
            nominal = float(top)
    return nominal - max(0.25 * step, 1.0)


def clipped_share(mosaic: np.ndarray, level: float) -> float:
    """Share of sites at or above a level, from two rows in eight."""
    height, width = mosaic.shape
    return float((mosaic[: height // 8 * 8].reshape(-1, 8, width)[:, :2] >= level).mean())
