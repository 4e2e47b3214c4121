"""From the merged mosaic to the radiance map."""

import numpy as np

from crenn.core.frames.light import LightFrame
from crenn.core.geometry.orientation import as_held
from crenn.core.merge.combine import MergedMosaic
from crenn.core.mosaic.bayer import even, sites
from crenn.core.mosaic.clipped import rebuild_clipped
from crenn.core.mosaic.demosaic import demosaic
from crenn.core.mosaic.hot import mend_hot
from crenn.core.radiance import PLANES, RadianceMap


def to_colour(merged: MergedMosaic, first: LightFrame) -> tuple[RadianceMap, int]:
    """White balance, mending, rebuilding of clipped sites and demosaic of a merged mosaic; sites mended."""
    height, width = merged.light.shape
    frame = first.raw
    for c, where in sites(frame.pattern):
        gain = frame.neutral_gains[c]
        merged.light[where] *= gain
        merged.variance[where] *= gain * gain
    mended = mend_hot(merged.light, merged.variance)
    if frame.grey:
        # Every site has the whole light already.
        rgb, sigma = (np.repeat(v[..., None], 3, -1) for v in (merged.light, np.sqrt(merged.variance)))
        return RadianceMap(rgb, sigma, merged.source, np.where(merged.clipped, 7, 0).astype(np.uint8)), mended
    whole = even(merged.light.shape)
    rebuild_clipped(merged.light[whole], merged.clipped[whole], frame.pattern)
    # A place's colours may come from different frames near saturation; green, half of all sites, speaks for it.
    for row in range(2):
        green = int(frame.pattern[row, 1] == 1)
        of_green = merged.source[row::2, green::2]
        other = merged.source[row::2, 1 - green :: 2]
        width_shared = min(other.shape[1], of_green.shape[1])
        other[:, :width_shared] = of_green[:, :width_shared]
    rgb, sigma = demosaic(merged.light, merged.variance, frame.pattern, frame.to_rec2020)
    clipped = np.zeros((height, width), np.uint8)
    for c, where in sites(frame.pattern):
        site = merged.clipped[where]
        for _, place in sites(frame.pattern):
            block = clipped[place]
            h, w = min(block.shape[0], site.shape[0]), min(block.shape[1], site.shape[1])
            block[:h, :w] |= np.where(site[:h, :w], np.uint8(1 << c), 0).astype(np.uint8)
    return RadianceMap(rgb, sigma, merged.source, clipped), mended


def turn_as_held(radiance: RadianceMap, flip: int) -> None:
    """Turn the map as the camera was held, in place; ``flip`` as of `crenn.core.geometry.orientation`."""
    for name in ("rgb", "sigma", *PLANES):
        if getattr(radiance, name) is not None:
            setattr(radiance, name, as_held(getattr(radiance, name), flip))


def cropped(radiance: RadianceMap, box: tuple[int, int, int, int]) -> None:
    """Cut the map to a box (x, y, width, height), in place."""
    x, y, width, height = box
    if width < 16 or height < 16:
        return
    for name in ("rgb", "sigma", *PLANES):
        if getattr(radiance, name) is not None:
            setattr(radiance, name, np.ascontiguousarray(getattr(radiance, name)[y : y + height, x : x + width]))
