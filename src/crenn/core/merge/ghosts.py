"""Finds what moved between the frames of a bracket, from the noise model."""

import cv2
import numpy as np

from crenn.core.noise.model import NoiseModel

#: A difference counts as motion from this many standard deviations of its noise.
_THRESHOLD = 6.0
#: Besides noise, frames may differ by this share of the light: exposure drift, vignetting of long shutters.
_TOLERANCE = 0.012


def _quads(mosaic, pattern, black, white, gain) -> np.ndarray:
    """Radiance per 2×2 tile and colour, float32 (h, w, 3); the two greens are averaged."""
    height, width = (n // 2 * 2 for n in mosaic.shape)
    out = np.zeros((height // 2, width // 2, 3), np.float32)
    for row in range(2):
        for column in range(2):
            c = int(pattern[row, column])
            scale = np.float32((0.5 if c == 1 else 1.0) / ((white - black[c]) * gain))
            plane = mosaic[row:height:2, column:width:2].astype(np.float32)
            out[..., c] += (plane - black[c]) * scale
    return out


def _clipped_near(mosaic, pattern, level) -> np.ndarray:
    """Tiles whose mean over 3×3 a clipped site enters, per colour, bool (h, w, 3)."""
    height, width = (n // 2 * 2 for n in mosaic.shape)
    full = np.zeros((height // 2, width // 2, 3), np.uint8)
    for row in range(2):
        for column in range(2):
            full[..., int(pattern[row, column])] |= mosaic[row:height:2, column:width:2] >= level
    return cv2.dilate(full, np.ones((3, 3), np.uint8)).astype(bool)


def still_share(stack, gains, pattern, black, white, clip, noise: list[NoiseModel], reference: int) -> np.ndarray:
    """Share 0–255 with which each frame may speak at each tile, so that what moved comes from one frame.

    Each place has one leading frame: the reference, or where that clips the next darker one that does not. Another
    frame is silenced where its mean over 3×3 tiles differs from the leading frame's, in any colour, by more than
    the noise of both explains.

    Parameters
    ----------
    stack : ndarray, uint16 (K, H, W)
    gains : ndarray (K,)
        Sensitivities relative to the reference.
    pattern : ndarray, uint8 (2, 2)
    black : ndarray (K, 3)
    white, clip : ndarray (K,)
    noise : list of NoiseModel
    reference : int

    Returns
    -------
    ndarray, uint8 (K, H // 2, W // 2)
    """
    order = [int(i) for i in np.argsort(gains, kind="stable")]
    frames = len(order)
    window = np.ones((3, 3), np.uint8)
    taps = np.array([9.0, 18.0, 9.0], np.float32)

    def measured(k: int):
        light = cv2.blur(_quads(stack[k], pattern, black[k], white[k], gains[k]), (3, 3), borderType=cv2.BORDER_REFLECT)
        slope, offset = noise[k].slope / (gains[k] * taps), noise[k].offset / (gains[k] ** 2 * taps)
        variance = np.maximum(light, 0) * slope.astype(np.float32) + offset.astype(np.float32)
        return light, variance, _clipped_near(stack[k], pattern, clip[k])

    lead, lead_var, blocked = measured(reference)
    open_places = blocked.any(-1)
    leader = np.full(lead.shape[:2], reference, np.int16)
    for k in reversed(order[: order.index(reference)]):
        if not open_places.any():
            break
        light, variance, blocked = measured(k)
        lead[open_places], lead_var[open_places] = light[open_places], variance[open_places]
        leader[open_places] = k
        open_places &= blocked.any(-1)
    out = np.full((frames, *leader.shape), 255, np.uint8)
    for k in range(frames):
        light, variance, blocked = measured(k)
        allowed = np.sqrt(variance + lead_var) * _THRESHOLD + _TOLERANCE * np.abs(lead)
        # A clipped colour says nothing, but where the leading frame foresees no clipping something has moved.
        level = (clip[k] - black[k]) / (white[k] - black[k]) / gains[k]
        unforeseen = lead + 6 * np.sqrt(lead_var) < 0.8 * level
        moved = np.where(blocked, unforeseen, np.abs(light - lead) > allowed).any(-1)
        moved &= leader != k
        # Single tiles are noise or edges that the lens moved by less than a pixel.
        moved = cv2.morphologyEx(moved.astype(np.uint8), cv2.MORPH_OPEN, window)
        silent = cv2.dilate(moved, np.ones((7, 7), np.uint8)) * np.uint8(255)
        out[k] = 255 - np.maximum(cv2.blur(silent, (3, 3)), silent)
        out[k][leader == k] = 255
    return out
