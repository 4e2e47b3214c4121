"""Finds what moved between the frames of a bracket, from the noise model."""

import cv2
import numba as nb
import numpy as np

from crenn.core.noise.model import NoiseModel

#: Side of a cell, in pixels: what is compared is the mean of a cell.
CELL = 4
#: Sites of red, green and blue in a cell.
_TAPS = np.array([4.0, 8.0, 4.0], np.float32)
#: A difference counts as motion from this many standard deviations of its noise.
_THRESHOLD = 6.0
#: Besides noise, frames may differ by this share of the light: flicker, a lens that closes unevenly.
_TOLERANCE = 0.012


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _cells(mosaic, pattern, black, scale, level, light, clipped):
    """Mean radiance of each cell and colour, and whether a site of that colour clips."""
    rows, columns = light.shape[:2]
    for i in nb.prange(rows):
        for j in range(columns):
            for c in range(3):
                light[i, j, c] = np.float32(0)
                clipped[i, j, c] = False
            for y in range(i * CELL, (i + 1) * CELL):
                for x in range(j * CELL, (j + 1) * CELL):
                    c = pattern[y & 1, x & 1]
                    raw = np.float32(mosaic[y, x])
                    light[i, j, c] += (raw - black[c]) * scale[c]
                    if raw >= level:
                        clipped[i, j, c] = True


def still_share(stack, gains, pattern, black, white, clip, noise: list[NoiseModel], reference: int) -> np.ndarray:
    """Share 0–255 with which each frame may speak at each cell, so that what moved comes from one frame.

    Each place has one leading frame: the reference, or where that clips the next darker one that does not. Another
    frame is silenced where the mean of a cell of 4×4 pixels differs from the leading frame's, in any colour, by more
    than the noise of both explains.

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
    ndarray, uint8 (K, H // 4, W // 4)
    """
    order = [int(i) for i in np.argsort(gains, kind="stable")]
    frames = len(order)
    rows, columns = stack.shape[1] // CELL, stack.shape[2] // CELL

    def measured(k: int):
        light, blocked = np.empty((rows, columns, 3), np.float32), np.empty((rows, columns, 3), np.bool_)
        scale = 1.0 / ((white[k] - black[k]) * gains[k] * _TAPS)
        _cells(stack[k], pattern, black[k].astype(np.float32), scale.astype(np.float32), np.float32(clip[k]), light, blocked)
        slope, offset = noise[k].slope / (gains[k] * _TAPS), noise[k].offset / (gains[k] ** 2 * _TAPS)
        return light, np.maximum(light, 0) * slope.astype(np.float32) + offset.astype(np.float32), blocked

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
        # The borders of what moved are soft: some cells more are silenced, and the share falls off over the next.
        silent = cv2.dilate(moved.astype(np.uint8), np.ones((3, 3), np.uint8)) * np.uint8(255)
        out[k] = 255 - np.maximum(cv2.blur(silent, (3, 3)), silent)
        out[k][leader == k] = 255
    return out
