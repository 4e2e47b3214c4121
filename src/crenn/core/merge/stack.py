"""Equal frames become one: mean, mean without outliers, median or maximum, on stars and ground where the sky turns."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from crenn.core.frames.light import LightFrame, Sites
from crenn.core.geometry.mapping import Box, Mesh, common_part
from crenn.core.merge.calibrate import Calibration, calibrate, mend_sites, vote_hot
from crenn.core.merge.combine import MergedMosaic
from crenn.core.merge.ghosts import CELL
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.mosaics import Mosaics, fits_in_memory, on_disk
from crenn.core.merge.reduce import METHODS, grow, outliers, reduce
from crenn.core.merge.stack_registration import lay_ground, lay_sky
from crenn.core.merge.trails import draw_pauses, find_turning
from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.moving import FULL, MISSING, MOVED_LEVELS, NOISE_CELL, Interpolated, noise_share
from crenn.core.mosaic.noise import NoiseModel
from crenn.core.progress import Progress, Stages

#: From so many frames on outliers can be told from noise.
CLIP_FROM = 5
#: A value farther than this many deviations from the median of its site is an outlier.
_OUTLIER = 3.5
#: Outliers beside so many others in this neighbourhood take their surroundings with them: the faint flanks of a track.
_BESIDE, _REACH = 5, 3
#: So many outliers in a cell are something that passed.
_TRACK = 3
#: So many frames are asked for hot sites.
_ASKED = 8
#: Frames of a stack are worked on in bands of about this many bytes.
_BAND = 50_000_000


@dataclass
class Stacked:
    """A stack made one.

    Attributes
    ----------
    merged : MergedMosaic
    used : list of LightFrame
        Those that took part, with how far each frame's sky, or picture, was moved.
    method : str
    ground : ndarray, uint8 (H, W) or None
        255 on the ground, 0 in the sky, where the two were registered apart.
    hot : int
        Sites mended.
    rejected : float
        Share of samples left out as outliers.
    common : tuple of int
        (x, y, width, height) that all frames cover.
    aside, warnings : list of str
    sky : bool
        Whether the stars were followed, else whole pictures.
    why : str
        What that was decided by; nothing where there was no choice.
    filled : int
        Pauses between frames in which the trails of stars were drawn.
    """

    merged: MergedMosaic
    used: list[LightFrame]
    method: str
    ground: np.ndarray | None = None
    hot: int = 0
    rejected: float = 0.0
    common: Box | None = None
    aside: list[str] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)
    sky: bool = False
    why: str = ""
    filled: int = 0


@dataclass
class _Source:
    """Mosaics of one registration, with their levels."""

    mosaics: Mosaics
    levels: Levels
    spread: np.ndarray


def stack_frames(
    frames: Sequence[LightFrame],
    mosaics: Mosaics,
    calibration: Calibration,
    first: LightFrame,
    instructions: Instructions,
    stages: Stages,
    sky: bool = True,
) -> Stacked:
    """Stack equal frames.

    Memory does not grow with the number of frames: mosaics wait in ``mosaics`` and are worked on in bands.

    Parameters
    ----------
    frames : sequence of LightFrame (K,)
        They do not hold their mosaics.
    mosaics : Mosaics
        The frames' mosaics; they are calibrated in place.
    calibration : Calibration
    first : LightFrame
        The reference frame.
    instructions : Instructions
        ``method``, ``follow``, ``align`` and strokes of sky and ground are heeded.
    stages : Stages
        Those of a stack as of `crenn.core.merge.costs` are gone through.
    sky : bool
        Whether stars may be looked for.
    """
    count, reference = len(frames), next(k for k, f in enumerate(frames) if f is first)
    method = instructions.method
    if method == "auto":
        method = "clipped" if count >= CLIP_FROM else "mean"
    hot = _calibrate_all(frames, mosaics, calibration, stages.begin("clean"))
    registering = stages.begin("register")
    laid, why, turning = None, "", None
    if sky and method == "maximum" and instructions.follow != "stars" and count >= 3:
        turning = find_turning(frames, mosaics, hot, reference, registering)
        # Trails are drawn over what stands still: stars must not move the picture.
        instructions = instructions.model_copy(update={"align": instructions.align and turning is None})
    elif sky and instructions.align and instructions.follow != "ground" and count >= 3:
        laid, why = lay_sky(frames, mosaics, hot, reference, instructions, registering)
    if laid is None:
        laid = lay_ground(frames, mosaics, hot, reference, instructions, registering)
    used = [f for f in frames if not any(f is g for g in laid.gone)]
    size, still = mosaics.shape, all(f.mesh is None for f in used) and not laid.sky and turning is None
    drawn = turning.drawn if turning else 0
    with Mosaics(len(used) + drawn, size) as lying, Mosaics(len(used) if laid.sky else 1, size) as turned:
        places = {id(f): k for k, f in enumerate(frames)}
        common: Box = (0, 0, size[1], size[0])
        spread = _plain(size)
        if not still:
            spread[:] = 0
        laying = stages.begin("turn")
        for n, frame in enumerate(used):
            laying.at(n / len(used), f"Laying {frame.name} in place")
            mosaic = mosaics.get(places[id(frame)])
            if hot.any():
                mend_sites(mosaic, hot)
            if laid.sky or still:
                lying.put(n, mosaic)
            if still:
                continue
            # In a stack every frame goes through the filter, that all stars and edges are drawn alike.
            mesh = frame.mesh or Mesh.identity(size)
            if laid.sky and laid.ground is not None:
                mosaic = mosaic[: _lowest_sky(laid.ground, mesh)]
            gains = first.raw.neutral_gains
            interpolated = Interpolated.of(mosaic, first.pattern, frame.levels, gains, frame.noise, 1)
            spread += noise_share(mesh, first.pattern, gains) / len(used)
            (turned if laid.sky else lying).put(n, interpolated.moved(mesh))
            common = common_part(common, mesh, size)
        if turning is not None:
            fill = stages.begin("pauses")
            for n, mosaic in enumerate(draw_pauses(turning, frames, mosaics, hot, first, fill)):
                lying.put(len(used) + n, mosaic)
        own = Levels(first.levels.black, first.levels.white, min(f.levels.clip for f in used))
        if laid.sky:
            sources = [_Source(lying, own, _plain(size)), _Source(turned, MOVED_LEVELS, spread)]
        else:
            sources = [_Source(lying, own if still else MOVED_LEVELS, spread)]
        reducing = stages.begin("reduce")
        shares = np.full((len(used), size[0] // CELL, size[1] // CELL), 255, np.uint8)
        gains = np.array([f.gain for f in used] + [1.0] * drawn, np.float32)
        merged, rejected = _in_bands(
            sources, laid.ground, gains, first, METHODS[method], shares, reducing.part(0.0, 0.8)
        )
    if not still and instructions.detail and method in ("mean", "clipped"):
        _keep_sites(used, [mosaics.get(places[id(f)]) for f in used], hot, shares, reducing)
    merged.source[:] = next(n for n, f in enumerate(used) if f is first)
    return Stacked(
        merged,
        used,
        method,
        laid.ground,
        int(hot.sum()),
        rejected,
        None if still else common,
        laid.aside,
        laid.warnings,
        laid.sky,
        why,
        len(turning.pauses) if turning else 0,
    )


def _keep_sites(
    used: Sequence[LightFrame],
    mosaics: Sequence[np.ndarray],
    hot: np.ndarray,
    shares: np.ndarray,
    progress: Progress,
) -> None:
    """Let frames keep what they recorded; what is too much for memory waits on disk."""
    for number, (frame, mosaic, share) in enumerate(zip(used, mosaics, shares)):
        progress.at(0.8 + 0.2 * number / len(used), "Stacking light")
        kept = np.where(hot, np.uint16(MISSING), mosaic)
        if not fits_in_memory(len(used), kept):
            kept = on_disk(kept)
        frame.sites = Sites(kept, frame.levels, share)


def _plain(size: tuple[int, int]) -> np.ndarray:
    """Variance of frames that were not moved, relative to what they had, in cells."""
    return np.ones((size[0] // NOISE_CELL + 1, size[1] // NOISE_CELL + 1, 3), np.float32)


def _lowest_sky(ground: np.ndarray, mesh: Mesh) -> int:
    """Row, an even one, below which nothing of the sky needs to be turned."""
    rows = np.flatnonzero((ground < 250).sum(1) > 4)
    bottom = min(int(rows[-1] if rows.size else 0) + int(mesh.largest_shift) + 32, ground.shape[0])
    return bottom // 2 * 2


def _calibrate_all(
    frames: Sequence[LightFrame], mosaics: Mosaics, calibration: Calibration, progress: Progress
) -> np.ndarray:
    """Calibrate the mosaics of a stack, and tell its hot sites, bool (H, W)."""
    count = len(frames)
    votes = np.zeros(mosaics.shape, np.uint8)
    asked = set(np.linspace(0, count - 1, min(count, _ASKED)).round().astype(int).tolist())
    for k, frame in enumerate(frames):
        progress.at(k / count, f"Calibrating {frame.name}")
        frame.mosaic = mosaics.get(k)
        calibrate(frame, calibration)
        if k in asked:
            vote_hot(frame, votes)
        mosaics.put(k, frame.detach_mosaic())
    if count < 3:
        return np.zeros(votes.shape, bool)
    return votes >= max(2, int(np.ceil(0.5 * len(asked))))


def _in_bands(
    sources: Sequence[_Source],
    ground: np.ndarray | None,
    gains: np.ndarray,
    first: LightFrame,
    method: int,
    shares: np.ndarray,
    progress: Progress,
) -> tuple[MergedMosaic, float]:
    """Reduce band by band; where ground and sky meet, both are reduced and blended.

    ``shares``, uint8 (K, H // 4, W // 4), becomes 0 where the sites of frames that were moved are not to be asked, on
    ground that stays, and 1 where something may have passed.
    """
    height, width = sources[0].mosaics.shape
    count = len(gains)
    out = MergedMosaic(
        np.empty((height, width), np.float32),
        np.empty((height, width), np.float32),
        np.zeros((height, width), np.uint8),
        np.zeros((height, width), np.bool_),
    )
    rows = int(np.clip(_BAND // (count * width * 2), 16, height))
    rows += -rows % CELL
    rejected = samples = 0
    for top in range(0, height, rows):
        progress.at(top / height, "Stacking light")
        band = slice(top, min(top + rows, height))
        part = ground[band] if ground is not None else None
        wanted = [part is None or part.max() > 0, part is not None and part.min() < 255]
        reduced = []
        for source, needed in zip(sources, wanted):
            if needed:
                light, variance, clipped, marks = _reduced(source, band, height, first, gains, method)
                rejected, samples = rejected + int(marks[:, ::4, ::4].sum()), samples + marks[:, ::4, ::4].size
                if source is sources[-1]:
                    _forbid(shares, top, marks, part)
                reduced.append((light, variance, clipped))
        if len(reduced) == 1:
            out.light[band], out.variance[band], out.clipped[band] = reduced[0]
            continue
        assert part is not None
        share = part.astype(np.float32) / np.float32(255)
        (still_light, still_variance, still_clipped), (sky_light, sky_variance, sky_clipped) = reduced
        out.light[band] = still_light * share + sky_light * (1 - share)
        out.variance[band] = still_variance * share**2 + sky_variance * (1 - share) ** 2
        out.clipped[band] = np.where(part > 127, still_clipped, sky_clipped)
    return out, rejected / max(samples, 1)


def _forbid(shares: np.ndarray, top: int, marks: np.ndarray, ground: np.ndarray | None) -> None:
    """Note, in cells, where frames are doubted: outliers beside each other; and where they are not asked: ground."""
    first, count = top // CELL, min(marks.shape[1] // CELL, shares.shape[1] - top // CELL)
    cut = np.s_[: count * CELL, : shares.shape[2] * CELL]
    shape = (count, CELL, shares.shape[2], CELL)
    if len(marks) == len(shares):
        passed = np.stack([m[cut].reshape(shape).sum((1, 3), dtype=np.int32) >= _TRACK for m in marks])
        shares[:, first : first + count][passed] = 1
    if ground is not None:
        shares[:, first : first + count][:, ground[cut].reshape(shape).max((1, 3)) > 25] = 0


def _reduced(
    source: _Source, rows: slice, height: int, first: LightFrame, gains: np.ndarray, method: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Rows of a source as one: (light, variance, clipped, samples left out, uint8 (K, rows, W))."""
    levels, pattern = source.levels, first.pattern
    black, scale = levels.black.astype(np.float32), levels.scale
    slope, offset = first.noise.slope.astype(np.float32), first.noise.offset.astype(np.float32)
    pad = _REACH + 1 if method == METHODS["clipped"] else 0
    low, high = max(rows.start - pad, 0), min(rows.stop + pad, height)
    band = source.mosaics.band(low, high)
    marks = np.zeros((len(band), 1, 1), np.uint8)
    if method == METHODS["clipped"]:
        single, marks = np.empty(band.shape, np.uint8), np.empty(band.shape, np.uint8)
        outliers(band, low, pattern, black, scale, gains, slope, offset, levels.clip, np.float32(_OUTLIER), single)
        grow(single, _BESIDE, _REACH, marks)
    shape = (rows.stop - rows.start, band.shape[2])
    light, variance, clipped = np.empty(shape, np.float32), np.empty(shape, np.float32), np.empty(shape, np.bool_)
    reduce(
        band,
        marks,
        low,
        rows.start - low,
        rows.stop - low,
        pattern,
        black,
        scale,
        gains,
        slope,
        offset,
        levels.clip,
        method,
        source.spread,
        light,
        variance,
        clipped,
    )
    return light, variance, clipped, marks[:, rows.start - low : rows.stop - low]


def as_one_frame(stacked: Stacked, frame: LightFrame) -> None:
    """Put a stack's mean in the place of one of its frames, for merging with other exposures, in place."""
    black = FULL / 16
    number = stacked.merged.light * np.float32(FULL - black) + np.float32(black)
    clipped = stacked.merged.clipped
    frame.mosaic = np.where(clipped, np.float32(FULL), np.clip(np.rint(number), 0, FULL - 1)).astype(np.uint16)
    frame.levels = Levels(np.full(3, black, np.float32), FULL, FULL)
    slope, offset = frame.noise.slope, frame.noise.offset
    some = (slice(1, None, 16), slice(None, None, 16))
    expected = slope[1] * np.maximum(stacked.merged.light[some], 0) + offset[1]
    share = np.float32(float(np.median(stacked.merged.variance[some] / np.maximum(expected, 1e-12))))
    rounding = np.float32(1 / 12 / (FULL - black) ** 2)
    frame.noise = NoiseModel(slope * share, offset * share + rounding)
    frame.mesh, frame.shift, frame.error, frame.gain, frame.gain_error = None, 0.0, 0.0, 1.0, None
