"""Merges frames that hold all three colours of every pixel: developed pictures, which are no mosaics.

What lies where, how bright each frame is and what moved is found on their mosaics, as of all frames; the light itself
is then taken from all planes, by the same weighted mean.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from crenn.core.frames.light import LightFrame, Planes
from crenn.core.frames.pictures import TOP
from crenn.core.geometry.lanczos import PHASES, lanczos
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.resample import resample
from crenn.core.merge.combine import FullColour, combine
from crenn.core.merge.mosaics import fits_in_memory, on_disk, release_pages
from crenn.core.mosaic.bayer import sites
from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.moving import MISSING, NOISE_CELL

#: Share of clipped light from which a moved place counts as clipped.
_TOUCHED = 0.02
#: Each place of the tile has each colour in one of these patterns.
_PATTERNS = [np.array(p, np.uint8) for p in ([[0, 1], [1, 2]], [[1, 2], [2, 0]], [[2, 0], [0, 1]])]


def _noise_left(mesh: Mesh) -> np.ndarray:
    """Variance of a moved plane relative to an unmoved one, in cells, float32 (H // 8 + 1, W // 8 + 1, 3)."""
    rows, columns = (n // NOISE_CELL + 1 for n in mesh.size)
    y, x = np.mgrid[:rows, :columns] * NOISE_CELL + NOISE_CELL // 2
    at = mesh.at(np.stack([x, y], -1).reshape(-1, 2).astype(np.float64))
    squares = (lanczos() ** 2).sum(1)
    down, across = (squares[((v - np.floor(v)) * PHASES + 0.5).astype(int)] for v in (at[:, 1], at[:, 0]))
    return np.repeat((down * across).reshape(rows, columns, 1), 3, -1).astype(np.float32)


def _moved(planes: Planes, frame: LightFrame) -> np.ndarray:
    """Light as the reference frame would show it, float32 (H, W, 3); NaN where it shows more than this frame."""
    assert frame.mesh is not None
    # On a compressive scale an edge to a lamp does not ring; what clipped light has a part in counts as clipped.
    scale = np.float32(8 * max(float(np.sqrt(frame.noise.offset[1])), 1e-4))
    lost = planes.light >= planes.clip
    moved = resample(np.concatenate([np.arcsinh(planes.light / scale), lost], -1, dtype=np.float32), frame.mesh)
    light = np.sinh(moved[..., :3]) * scale
    return np.where(np.abs(moved[..., 3:]) > _TOUCHED, np.maximum(light, np.float32(1)), light)


def _alone(frame: LightFrame, planes: Planes) -> FullColour:
    """A lone frame stays as it is, to the last digit."""
    variance = frame.noise.slope * np.maximum(planes.light, 0) + frame.noise.offset
    return FullColour(planes.light, variance.astype(np.float32), planes.light >= planes.clip)


def merge_full_colour(frames: Sequence[LightFrame], still: np.ndarray | None) -> FullColour | None:
    """Merge frames that have been aligned, measured and compared; None if one of them has not all colours.

    Parameters
    ----------
    frames : sequence of LightFrame
    still : ndarray, uint8 (K, H // 4, W // 4) or None
        As of `crenn.core.merge.combine.combine`.
    """
    known = [f.planes for f in frames if f.planes is not None]
    if len(known) < len(frames):
        return None
    if len(frames) == 1:
        return _alone(frames[0], known[0])
    size = known[0].light.shape
    numbers, own = [], []
    for frame, planes in zip(frames, known):
        light = planes.light if frame.mesh is None else _moved(planes, frame)
        whole = np.where(np.isfinite(light), np.clip(np.rint(light * TOP), 0, TOP), MISSING).astype(np.uint16)
        frame.planes = None
        numbers.append(whole if fits_in_memory(len(frames), whole) else on_disk(whole))
        release_pages(planes.light)
        levels = Levels(np.zeros(3, np.float32), float(TOP), planes.clip * TOP)
        own.append(replace(frame, levels=levels, spread=None if frame.mesh is None else _noise_left(frame.mesh)))
    out = FullColour(np.empty(size, np.float32), np.empty(size, np.float32), np.empty(size, bool))
    for pattern in _PATTERNS:
        stack = np.empty((len(frames), *size[:2]), np.uint16)
        for k, whole in enumerate(numbers):
            for c, where in sites(pattern):
                stack[k, *where] = whole[*where, c]
            release_pages(whole)
        merged = combine(stack, own, still, pattern)
        for c, where in sites(pattern):
            out.light[*where, c], out.variance[*where, c] = merged.light[where], merged.variance[where]
            out.clipped[*where, c] = merged.clipped[where]
    return out
