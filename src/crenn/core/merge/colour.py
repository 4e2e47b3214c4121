"""From the merged mosaic to the radiance map."""

import numpy as np

from crenn.core.frames.raw import RawFrame
from crenn.core.merge.clipped import rebuild_clipped
from crenn.core.merge.combine import MergedMosaic
from crenn.core.merge.demosaic import demosaic
from crenn.core.merge.hot import mend_hot
from crenn.core.radiance import PLANES, RadianceMap


def to_colour(merged: MergedMosaic, frame: RawFrame) -> tuple[RadianceMap, int]:
    """White balance, mending, rebuilding of clipped sites and demosaic of a merged mosaic; sites mended."""
    height, width = merged.light.shape
    for row in range(2):
        for column in range(2):
            gain = frame.neutral_gains[frame.pattern[row, column]]
            merged.light[row::2, column::2] *= gain
            merged.variance[row::2, column::2] *= gain * gain
    mended = mend_hot(merged.light, merged.variance)
    if frame.grey:
        # Every site has the whole light already.
        rgb, sigma = (np.repeat(v[..., None], 3, -1) for v in (merged.light, np.sqrt(merged.variance)))
        return RadianceMap(rgb, sigma, merged.source, np.where(merged.clipped, 7, 0).astype(np.uint8)), mended
    even = (slice(height // 2 * 2), slice(width // 2 * 2))
    rebuild_clipped(merged.light[even], merged.clipped[even], frame.pattern)
    # A place's colours may come from different frames near saturation; green, half of all sites, speaks for it.
    for row in range(2):
        green = int(frame.pattern[row, 1] == 1)
        of_green = merged.source[row::2, green::2]
        other = merged.source[row::2, 1 - green :: 2]
        width_shared = min(other.shape[1], of_green.shape[1])
        other[:, :width_shared] = of_green[:, :width_shared]
    rgb, sigma = demosaic(merged.light, merged.variance, frame.pattern, frame.to_rec2020)
    clipped = np.zeros((height, width), np.uint8)
    for row in range(2):
        for column in range(2):
            bit = np.uint8(1 << frame.pattern[row, column])
            site = merged.clipped[row::2, column::2]
            for y in range(2):
                for x in range(2):
                    block = clipped[y::2, x::2]
                    h, w = min(block.shape[0], site.shape[0]), min(block.shape[1], site.shape[1])
                    block[:h, :w] |= np.where(site[:h, :w], bit, 0).astype(np.uint8)
    return RadianceMap(rgb, sigma, merged.source, clipped), mended


def turn_as_held(radiance: RadianceMap, flip: int) -> None:
    """Turn the map as the camera was held; ``flip`` is LibRaw's."""
    turns = {0: 0, 3: 2, 5: 1, 6: 3}.get(flip, 0)
    if turns:
        for name in ("rgb", "sigma", *PLANES):
            if getattr(radiance, name) is None:
                continue
            setattr(radiance, name, np.ascontiguousarray(np.rot90(getattr(radiance, name), turns)))


def cropped(radiance: RadianceMap, box: tuple[int, int, int, int]) -> None:
    """Cut the map to a box (x, y, width, height), in place."""
    x, y, width, height = box
    if width < 16 or height < 16:
        return
    for name in ("rgb", "sigma", *PLANES):
        if getattr(radiance, name) is not None:
            setattr(radiance, name, np.ascontiguousarray(getattr(radiance, name)[y : y + height, x : x + width]))
