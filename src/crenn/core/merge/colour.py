"""From the merged mosaic to the radiance map."""

from collections.abc import Sequence

import cv2
import numpy as np

from crenn.core.colorimetry.gamut import bring_into_gamut
from crenn.core.frames.light import LightFrame
from crenn.core.geometry.orientation import as_held
from crenn.core.lens.database import profile_of
from crenn.core.lens.profile import radii
from crenn.core.merge.combine import MergedMosaic
from crenn.core.merge.describe import Facts
from crenn.core.merge.detail import Gathered, refine
from crenn.core.mosaic.bayer import even, sites
from crenn.core.mosaic.clipped import rebuild_clipped, rebuild_planes
from crenn.core.mosaic.demosaic import demosaic, scale_of
from crenn.core.mosaic.fringes import measure_fringes, take_fringes
from crenn.core.mosaic.hot import mend_hot
from crenn.core.mosaic.lone import mend_lone
from crenn.core.pipeline.fringes import Fringes
from crenn.core.pipeline.scene import Capture
from crenn.core.progress import Progress, Stages
from crenn.core.radiance import PLANES, RadianceMap
from crenn.core.report.merging import FringesReport


def to_colour(
    merged: MergedMosaic,
    first: LightFrame,
    lights: Sequence[LightFrame],
    facts: Facts,
    fringes: bool,
    stages: Stages,
) -> RadianceMap:
    """White balance, mending, rebuilding of clipped sites, and demosaic of a merged mosaic.

    Parameters
    ----------
    merged : MergedMosaic
        White-balanced in place.
    first : LightFrame
        The reference frame.
    lights : sequence of LightFrame
        All; of those that have sites detail is gathered.
    facts : Facts
        Takes down what was mended and which fringes were taken.
    fringes : bool
        Whether the lens's lateral colour is taken back.
    stages : Stages
        Those of colour as of `crenn.core.merge.costs` are gone through.
    """
    height, width = merged.light.shape
    frame = first.raw
    if merged.full is not None:
        # Nothing was mended in the planes.
        facts.hot = 0
        return _of_planes(merged, first, stages.begin("lost", "Rebuilding colour"))
    stages.begin("mend", "Mending sites")
    for c, where in sites(frame.pattern):
        gain = frame.neutral_gains[c]
        merged.light[where] *= gain
        merged.variance[where] *= gain * gain
    mended = mend_hot(merged.light, merged.variance)
    # Jumping and weak sites are no hot pixels: nobody needs to be told.
    facts.hot += int(mended.sum())
    mended |= mend_lone(merged.light, merged.variance)
    # What a hot site clipped is no light that was lost.
    merged.clipped &= ~mended
    if frame.grey:
        # Every site has the whole light already.
        rgb, sigma = (np.repeat(v[..., None], 3, -1) for v in (merged.light, np.sqrt(merged.variance)))
        return RadianceMap(rgb, sigma, merged.source, np.where(merged.clipped, 7, 0).astype(np.uint8))
    whole, taken = even(merged.light.shape), Fringes()
    rebuild_clipped(merged.light[whole], merged.clipped[whole], frame.pattern, stages.begin("lost"))
    stages.begin("fringes", "Taking fringes off")
    if fringes and not frame.developed:
        taken, facts.fringes = _without_fringes(merged, first)
    # A place's colours may come from different frames near saturation; green, half of all sites, speaks for it.
    for row in range(2):
        green = int(frame.pattern[row, 1] == 1)
        of_green = merged.source[row::2, green::2]
        other = merged.source[row::2, 1 - green :: 2]
        width_shared = min(other.shape[1], of_green.shape[1])
        other[:, :width_shared] = of_green[:, :width_shared]
    scale = scale_of(merged.variance[::16, ::16])
    facts.scale = float(scale)
    rgb, sigma = demosaic(merged.light, merged.variance, frame.pattern, frame.to_rec2020, scale, stages.begin("colour"))
    if any(f.sites is not None for f in lights):
        facts.detail = _gather_detail(
            rgb, sigma, lights, first, taken, merged.clipped, facts.ground, scale, stages.begin("detail")
        )
    stages.begin("gamut", "Rebuilding colour")
    bring_into_gamut(rgb, sigma)
    tiles = np.zeros(((height + 1) // 2, (width + 1) // 2), np.uint8)
    for c, where in sites(frame.pattern):
        site = merged.clipped[where]
        tiles[: site.shape[0], : site.shape[1]] |= site.astype(np.uint8) << c
    clipped = tiles.repeat(2, 0).repeat(2, 1)[:height, :width]
    return RadianceMap(rgb, sigma, merged.source, np.ascontiguousarray(clipped))


def _of_planes(merged: MergedMosaic, first: LightFrame, progress: Progress) -> RadianceMap:
    """Frames that have all colours of every pixel: a picture clips where it should, a sensor where it must."""
    assert merged.full is not None
    gains, matrix = first.raw.neutral_gains, first.raw.to_rec2020
    light, variance = merged.full.light * gains, merged.full.variance * gains * gains
    if not first.raw.finished:
        rebuild_planes(light, merged.full.clipped, progress)
    rgb = cv2.transform(light, matrix.astype(np.float32))
    sigma = np.sqrt(cv2.transform(variance, (matrix * matrix).astype(np.float32)))
    if not first.raw.finished:
        bring_into_gamut(rgb, sigma)
    bits = (merged.full.clipped * np.array([1, 2, 4], np.uint8)).sum(-1, dtype=np.uint8)
    return RadianceMap(rgb, sigma, merged.source, bits)


def _gather_detail(
    rgb: np.ndarray,
    sigma: np.ndarray,
    lights: Sequence[LightFrame],
    first: LightFrame,
    fringes: Fringes,
    lost: np.ndarray,
    ground: np.ndarray | None,
    scale: np.float32,
    progress: Progress,
) -> Gathered:
    """Correct a picture in the working space by the sites of frames, in place."""
    matrix, found = first.raw.to_rec2020.astype(np.float64), Gathered()
    for by in (np.linalg.inv(matrix), matrix):
        cv2.transform(rgb, by.astype(np.float32), dst=rgb)
        if by is not matrix:
            gains = first.raw.neutral_gains
            found = refine(rgb, sigma, lights, first.pattern, gains, fringes, lost, ground, scale, progress)
    return found


def _without_fringes(merged: MergedMosaic, first: LightFrame) -> tuple[Fringes, FringesReport | None]:
    """Take the lens's lateral colour back: what its profile says, or else what is measured; and tell of it."""
    pattern, told = first.raw.pattern, first.metadata
    known = profile_of(
        None, told.focal_length, told.aperture, Capture(told.make, told.model, told.lens), merged.light.shape
    )
    deviation = float(np.sqrt(np.median(merged.variance[::16, ::16])))
    floor = max(4 * deviation, 1e-6)
    fringes: Fringes | None
    if known.by_colour:
        within = radii() <= 1
        green = known.drawn[1]
        fringes = Fringes.of_factors((radii() * green)[within], *((known.drawn[c] / green)[within] for c in (0, 2)))
    else:
        fringes = measure_fringes(merged.light, pattern, floor)
    if fringes is None or not fringes.worth_taking(merged.light.shape):
        return Fringes(), None
    take_fringes(merged.light, merged.variance, pattern, fringes, floor)
    return fringes, FringesReport(by="profile" if known.by_colour else "picture", red=fringes.red, blue=fringes.blue)


def turn_as_held(radiance: RadianceMap, flip: int) -> None:
    """Turn the map as the camera was held, in place; ``flip`` as of `crenn.core.geometry.orientation`."""
    for name in ("rgb", "sigma", *PLANES):
        if getattr(radiance, name) is not None:
            setattr(radiance, name, as_held(getattr(radiance, name), flip))


def cropped(radiance: RadianceMap, box: tuple[int, int, int, int]) -> tuple[float, float, float, float]:
    """Cut the map to a box (x, y, width, height), in place; the box in shares of the map's width and height."""
    x, y, width, height = box
    rows, columns = radiance.shape
    if width < 16 or height < 16:
        return 0.0, 0.0, 1.0, 1.0
    for name in ("rgb", "sigma", *PLANES):
        if getattr(radiance, name) is not None:
            setattr(radiance, name, np.ascontiguousarray(getattr(radiance, name)[y : y + height, x : x + width]))
    return x / columns, y / rows, width / columns, height / rows
