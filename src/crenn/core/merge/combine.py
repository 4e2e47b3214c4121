"""The weighted mean of frames, site by site, in the raw domain."""

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np

from crenn.core.frames.light import LightFrame
from crenn.core.merge.ghosts import CELL
from crenn.core.mosaic.moving import MISSING, NOISE_CELL


@dataclass
class FullColour:
    """Light of all colours of every pixel.

    Attributes
    ----------
    light, variance : ndarray, float32 (H, W, 3)
        1.0 is the reference frame's saturation.
    clipped : ndarray, bool (H, W, 3)
    """

    light: np.ndarray
    variance: np.ndarray
    clipped: np.ndarray


@dataclass
class MergedMosaic:
    """The frames' weighted mean.

    Attributes
    ----------
    light : ndarray, float32 (H, W)
        1.0 is the reference frame's saturation.
    variance : ndarray, float32 (H, W)
    source : ndarray, uint8 (H, W)
        Index of the frame that contributes most.
    clipped : ndarray, bool (H, W)
        Whether even the darkest frame was clipped, or the one that something moving comes from; ``light`` is a lower
        bound there.
    full : FullColour or None
        All colours of every pixel, of frames that have them.
    """

    light: np.ndarray
    variance: np.ndarray
    source: np.ndarray
    clipped: np.ndarray
    full: FullColour | None = None


@nb.njit(fastmath=True, error_model="numpy")
def _around(mosaic, y, x, black, scale, otherwise):
    """Mean light of the sites of a site's own colour around it, itself among them; ``otherwise`` if all are missing."""
    total = np.float32(0.0)
    n = 0
    for yy in range(max(y - 2, y % 2), min(y + 3, mosaic.shape[0]), 2):
        for xx in range(max(x - 2, x % 2), min(x + 3, mosaic.shape[1]), 2):
            if mosaic[yy, xx] != MISSING:
                total += (np.float32(mosaic[yy, xx]) - black) * scale
                n += 1
    return total / n if n > 0 else otherwise


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _combine(
    stack,
    order,
    pattern,
    black,
    scale,
    clip,
    gain,
    slope,
    offset,
    still,
    spread_of,
    spread_at,
    light,
    variance,
    source,
    clipped,
):
    frames, height, width = stack.shape
    moving, moved = still.shape[0] > 0, spread_of.max() >= 0
    last_row, last_column = still.shape[1] - 1, still.shape[2] - 1
    # What depends on frame and colour alone, in the order from dark to bright: where light ends that may speak, over
    # what it fades out before, and terms of the weights.
    ends, ramps, limits = np.empty((frames, 3), np.float32), np.empty((frames, 3), np.float32), np.empty_like(scale)
    by_light, by_dark = np.empty((frames, 3), np.float32), np.empty((frames, 3), np.float32)
    to_first = np.empty((frames, 3), np.float32)
    for i in range(frames):
        k = order[i]
        g = gain[k]
        for c in range(3):
            limits[i, c] = (clip[k] - black[k, c]) * scale[k, c]
            sigma = np.sqrt(slope[k, c] * limits[i, c] + offset[k, c])
            ends[i, c] = limits[i, c] - np.float32(3.0) * sigma
            ramps[i, c] = np.float32(1.0) / max(np.float32(0.05) * limits[i, c], np.float32(2.0) * sigma)
            by_light[i, c], by_dark[i, c] = slope[k, c] / g, offset[k, c] / (g * g)
            to_first[i, c] = scale[k, c] / g
    for y in nb.prange(height):
        share = np.empty(frames, np.float32)
        value = np.empty(frames, np.float32)
        noise = np.empty(frames, np.float32)
        for x in range(width):
            c = pattern[y & 1, x & 1]
            any_clipped = False
            guess = np.float32(0.0)
            guess_gain = np.float32(0.0)
            last = 0
            darkest = np.float32(0.0)
            first = 0
            held, held_full = -1, False
            for i in range(frames):
                k = order[i]
                raw = np.float32(stack[k, y, x])
                noise[i] = np.float32(1.0)
                if moved and spread_of[k] >= 0:
                    noise[i] = spread_at[spread_of[k], y // NOISE_CELL, x // NOISE_CELL, c]
                if stack[k, y, x] == MISSING:
                    share[i] = np.float32(0.0)
                    value[i] = np.float32(0.0)
                    continue
                if darkest == np.float32(0.0):
                    darkest = gain[k]
                    first = i
                value[i] = (raw - black[k, c]) * to_first[i, c]
                share[i] = np.float32(1.0)
                if moving:
                    share[i] = np.float32(still[k, min(y // CELL, last_row), min(x // CELL, last_column)]) / np.float32(
                        255
                    )
                full = raw >= clip[k]
                if held < 0 and share[i] > np.float32(0.5):
                    held, held_full = i, full
                if gain[k] <= darkest * np.float32(1.1):
                    # The darkest frames that cover the place: if even they clip, its light is lost.
                    any_clipped |= full
                else:
                    v = (raw - black[k, c]) * scale[k, c]
                    if full:
                        share[i] = np.float32(0.0)
                    elif v > np.float32(0.6) * limits[i, c]:
                        # Whether a frame may speak is decided by what the darker frame measured around the
                        # place, not by the sample itself: a sample that noise carried over the edge would
                        # otherwise be missing from the mean and pull it down.
                        j = order[i - 1]
                        expected = _around(stack[j], y, x, black[j, c], scale[j, c], v * gain[j] / gain[k])
                        expected *= gain[k] / gain[j]
                        left = (ends[i, c] - expected) * ramps[i, c]
                        share[i] *= min(max(left, np.float32(0.0)), np.float32(1.0))
                if share[i] > np.float32(0.5) and gain[k] > guess_gain * np.float32(0.999):
                    guess = value[i]
                    guess_gain = gain[k]
                    last = order[i]
            # Weights come from the model at one common estimate, so that a sample's own noise does not
            # decide its weight. The first estimate is the brightest frame that may speak; the second the mean.
            if guess_gain == np.float32(0.0):
                # Nobody may speak: the darkest frame does, of those that something moving comes from.
                if held > first:
                    first, any_clipped = held, held_full
                share[first] = np.float32(1.0)
                guess = value[first]
                last = order[first]
            mean = guess
            weight_sum, spread = np.float32(0.0), np.float32(0.0)
            for _ in range(2):
                weight_sum, spread, total = np.float32(0.0), np.float32(0.0), np.float32(0.0)
                best = np.float32(-1.0)
                base = max(mean, np.float32(0.0))
                for i in range(frames):
                    if share[i] <= np.float32(0.0):
                        continue
                    w = share[i] / (noise[i] * (by_light[i, c] * base + by_dark[i, c]))
                    weight_sum += w
                    total += w * value[i]
                    # Variance of the mean under shares below 1: the sum of w² var over the square of the sum of w.
                    spread += share[i] * w
                    if w > best:
                        best = w
                        last = order[i]
                mean = total / weight_sum
            light[y, x] = mean
            variance[y, x] = spread / (weight_sum * weight_sum)
            source[y, x] = last
            clipped[y, x] = any_clipped


def combine(
    stack: np.ndarray,
    frames: Sequence[LightFrame],
    still: np.ndarray | None = None,
    pattern: np.ndarray | None = None,
) -> MergedMosaic:
    """Merge aligned mosaics.

    Each site becomes the mean of the frames that did not clip there, weighted by the inverse of the variance
    that the noise model predicts (Granados et al. 2010, "Optimal HDR reconstruction with linear digital
    cameras"; Hasinoff, Durand and Freeman 2010).

    Parameters
    ----------
    stack : ndarray, uint16 (K, H, W)
    frames : sequence of LightFrame (K,)
        What is known of the frames; the reference frame's gain is 1.
    still : ndarray, uint8 (K, H // 4, W // 4), optional
        Share with which each frame may speak, from `crenn.core.merge.ghosts.find_motion`; all of it if None.
    pattern : ndarray, uint8 (2, 2), optional
        Colours of the tile, if not those of the frames.
    """
    count, height, width = stack.shape
    gains = np.array([f.gain for f in frames], np.float32)
    known = [f.spread for f in frames if f.spread is not None]
    spread_of = np.full(count, -1, np.int64)
    spread_of[[k for k, f in enumerate(frames) if f.spread is not None]] = np.arange(len(known))
    levels = [f.levels for f in frames]
    out = MergedMosaic(
        np.empty((height, width), np.float32),
        np.empty((height, width), np.float32),
        np.empty((height, width), np.uint8),
        np.empty((height, width), np.bool_),
    )
    _combine(
        stack,
        np.argsort(gains, kind="stable"),
        frames[0].pattern if pattern is None else pattern,
        np.stack([v.black for v in levels]).astype(np.float32),
        np.stack([v.scale for v in levels]),
        np.array([v.clip for v in levels], np.float32),
        gains,
        np.stack([f.noise.slope for f in frames]).astype(np.float32),
        np.stack([f.noise.offset for f in frames]).astype(np.float32),
        np.zeros((0, 1, 1), np.uint8) if still is None else still,
        spread_of,
        np.stack(known) if known else np.ones((1, 1, 1, 3), np.float32),
        out.light,
        out.variance,
        out.source,
        out.clipped,
    )
    return out
