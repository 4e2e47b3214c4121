"""The weighted mean of frames, site by site, in the raw domain."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from crenn.core.frames.light import LightFrame
from crenn.core.merge.weights import weigh


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
    weigh(
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
