"""Equal frames become one: mean, mean without outliers, median or maximum, on stars and ground where the sky turns."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numba as nb
import numpy as np

from crenn.core.align.mapping import Mesh
from crenn.core.align.resample import MISSING, NOISE_CELL, noise_share, resample_mosaic
from crenn.core.frames.raw import RawFrame
from crenn.core.merge.calibrate import Calibration, apply, count_hot, mend_sites
from crenn.core.merge.combine import MergedMosaic
from crenn.core.merge.gather import Gathered
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.lay import lay_ground, lay_sky
from crenn.core.merge.mosaics import Mosaics
from crenn.core.progress import Progress

#: From so many frames on outliers can be told from noise.
CLIP_FROM = 5
#: A value farther than this many deviations from the median of its site is an outlier.
_OUTLIER = 3.5
#: Outliers beside so many others in this neighbourhood take their surroundings with them: the faint flanks of a track.
_BESIDE, _REACH = 5, 3
#: So many frames are asked for hot sites.
_ASKED = 8
#: Frames of a stack are worked on in bands of about this many bytes.
_BAND = 50_000_000
_METHODS = {"mean": 0, "clipped": 1, "median": 2, "maximum": 3}


@dataclass
class Stacked:
    """A stack made one.

    Attributes
    ----------
    merged : MergedMosaic
    used : list of int
        Light frames that took part, by their places among the gathered.
    method : str
    gains : ndarray (K,)
        Of the used frames, relative to the reference.
    ground : ndarray, uint8 (H, W) or None
        255 on the ground, 0 in the sky, where the two were registered apart.
    hot : int
        Sites mended.
    rejected : float
        Share of samples left out as outliers.
    common : tuple of int
        (x, y, width, height) that all frames cover.
    shifts, errors : list of float
        How far each frame's sky, or picture, was moved, in pixels, and the deviation left.
    aside, warnings : list of str
    """

    merged: MergedMosaic
    used: list[int]
    method: str
    gains: np.ndarray
    ground: np.ndarray | None = None
    hot: int = 0
    rejected: float = 0.0
    common: tuple[int, int, int, int] | None = None
    shifts: list[float] = field(default_factory=list)
    errors: list[float] = field(default_factory=list)
    aside: list[str] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)


@nb.njit(cache=True, nogil=True)
def _middle(part, n):
    """Median of the first ``n`` values, which are put in another order (Hoare 1961, quickselect)."""
    low, high, k = 0, n - 1, n // 2
    while low < high:
        pivot = part[(low + high) // 2]
        i, j = low, high
        while i <= j:
            while part[i] < pivot:
                i += 1
            while part[j] > pivot:
                j -= 1
            if i <= j:
                part[i], part[j] = part[j], part[i]
                i += 1
                j -= 1
        if k <= j:
            high = j
        elif k >= i:
            low = i
        else:
            break
    if n % 2:
        return part[k]
    below = part[0]
    for i in range(1, k):
        below = max(below, part[i])
    return np.float32(0.5) * (below + part[k])


@nb.njit(parallel=True, cache=True, nogil=True)
def _outliers(band, top, pattern, black, scale, gains, slope, offset, clip, threshold, out):
    """Mark samples far from the median of their site."""
    frames, rows, width = band.shape
    for y in nb.prange(rows):
        values, order = np.empty(frames, np.float32), np.empty(frames, np.float32)
        for x in range(width):
            c = pattern[(top + y) & 1, x & 1]
            n = 0
            for k in range(frames):
                out[k, y, x] = 0
                values[k] = np.nan
                if band[k, y, x] != MISSING:
                    values[k] = (np.float32(band[k, y, x]) - black[c]) * scale[c] / gains[k]
                    order[n] = values[k]
                    n += 1
            if n < 3:
                continue
            middle = _middle(order, n)
            for i in range(n):
                order[i] = abs(order[i] - middle)
            spread = np.float32(1.4826) * _middle(order, n)
            model = np.sqrt(slope[c] * max(middle, np.float32(0)) + offset[c])
            limit = threshold * max(model, spread)
            for k in range(frames):
                if values[k] == values[k] and abs(values[k] - middle) > limit:
                    out[k, y, x] = 1


@nb.njit(parallel=True, cache=True, nogil=True)
def _grow(marks, beside, reach, out):
    """Marks, and all around places with many of them."""
    frames, rows, width = marks.shape
    for k in nb.prange(frames):
        column = np.zeros(width, np.int32)
        for y in range(rows):
            # Sums of columns slide down, sums of the window slide along.
            for x in range(width):
                if y == 0:
                    for dy in range(min(reach + 1, rows)):
                        column[x] += marks[k, dy, x]
                else:
                    if y + reach < rows:
                        column[x] += marks[k, y + reach, x]
                    if y - reach - 1 >= 0:
                        column[x] -= marks[k, y - reach - 1, x]
            total = 0
            for x in range(min(reach, width)):
                total += column[x]
            for x in range(width):
                if x + reach < width:
                    total += column[x + reach]
                if x - reach - 1 >= 0:
                    total -= column[x - reach - 1]
                out[k, y, x] = 1 if marks[k, y, x] or total >= beside else 0


@nb.njit(parallel=True, cache=True, nogil=True)
def _reduce(
    band,
    marks,
    top,
    first,
    last,
    pattern,
    black,
    scale,
    gains,
    slope,
    offset,
    clip,
    method,
    spread,
    light,
    variance,
    clipped,
):
    """Rows ``first`` to ``last`` of a band as one: light, its variance, and whether most samples clip."""
    frames, _, width = band.shape
    for y in nb.prange(first, last):
        values = np.empty(frames, np.float32)
        for x in range(width):
            c = pattern[(top + y) & 1, x & 1]
            n, lost, covered = 0, 0, 0
            total, most, square = np.float32(0), np.float32(-1e30), np.float32(0)
            for k in range(frames):
                number = band[k, y, x]
                if number == MISSING:
                    continue
                covered += 1
                full = number >= clip
                if full:
                    lost += 1
                v = (np.float32(number) - black[c]) * scale[c] / gains[k]
                if (full and method != 3) or (method == 1 and marks[k, y, x]):
                    continue
                values[n] = v
                n += 1
                total += v
                square += np.float32(1) / gains[k]
                most = max(most, v)
            oy = y - first
            clipped[oy, x] = covered > 0 and (2 * lost > covered or n == 0)
            if n == 0:
                # All clipped, or all outliers: the plain mean is a lower bound.
                for k in range(frames):
                    if band[k, y, x] != MISSING:
                        total += (np.float32(band[k, y, x]) - black[c]) * scale[c] / gains[k]
                n = max(covered, 1)
                light[oy, x] = total / n
            elif method == 2:
                light[oy, x] = _middle(values, n)
            elif method == 3:
                light[oy, x] = most
            else:
                light[oy, x] = total / n
            single = slope[c] * max(light[oy, x], np.float32(0)) + offset[c]
            share = np.float32(1.0) / n
            if method == 2 and n > 2:
                share *= np.float32(1.5707963)
            elif method == 3:
                share = np.float32(1.0)
            variance[oy, x] = single * share * spread[(top + y) // NOISE_CELL, x // NOISE_CELL, c]


@dataclass
class _Source:
    """Mosaics of one registration, with their levels."""

    mosaics: Mosaics
    black: np.ndarray
    white: float
    clip: float
    spread: np.ndarray


def stack_frames(
    found: Gathered,
    mosaics: Mosaics,
    calibration: Calibration,
    reference: int,
    instructions: Instructions,
    progress: Progress,
    sky: bool = True,
) -> Stacked:
    """Stack equal frames.

    Memory does not grow with the number of frames: mosaics wait in ``mosaics`` and are worked on in bands.

    Parameters
    ----------
    found : Gathered
        Their `RawFrame.mosaic` may be empty.
    mosaics : Mosaics
        The light frames' mosaics; they are calibrated in place.
    calibration : Calibration
    reference : int
    instructions : Instructions
        ``method``, ``follow``, ``align`` and strokes of sky and ground are heeded.
    progress : Progress
    sky : bool
        Whether stars may be looked for.
    """
    frames = found.lights
    count = len(frames)
    method = instructions.method
    if method == "auto":
        method = "clipped" if count >= CLIP_FROM else "mean"
    first = frames[reference]
    votes = np.zeros(mosaics.shape, np.uint8)
    scale = float(first.white - first.black[1])
    asked = set(np.linspace(0, count - 1, min(count, _ASKED)).round().astype(int).tolist())
    for k in range(count):
        progress.at(0.12 * k / count, f"Calibrating {frames[k].name}")
        holder = frames[k]
        holder.mosaic = mosaics.get(k)
        apply(holder, calibration, found.clip[k])
        if k in asked:
            count_hot(
                holder.mosaic,
                np.float32(first.black[1]),
                np.float32(np.sqrt(found.noise[k].offset[1]) * scale),
                np.float32(found.noise[k].slope[1] * scale),
                votes,
            )
        mosaics.put(k, holder.mosaic)
        holder.mosaic = votes[:0].astype(np.uint16)
    hot = votes >= max(2, int(np.ceil(0.5 * len(asked)))) if count >= 3 else np.zeros(votes.shape, bool)
    del votes
    lain = None
    if sky and instructions.align and instructions.follow != "ground" and count >= 3:
        lain = lay_sky(found, mosaics, hot, reference, instructions, progress.part(0.12, 0.35))
    if lain is None:
        lain = lay_ground(found, mosaics, hot, reference, instructions, progress.part(0.12, 0.4))
    used = [k for k in range(count) if k not in lain.gone]
    size = mosaics.shape
    gains = np.array([lain.gains[k] for k in used], np.float32)
    levels = {"pattern": first.pattern, "gains": first.neutral_gains}
    plain = np.ones((size[0] // NOISE_CELL + 1, size[1] // NOISE_CELL + 1, 3), np.float32)
    sources: list[_Source] = []
    with Mosaics(len(used), size) as lying, Mosaics(len(used) if lain.sky else 1, size) as turned:
        spread, common = np.zeros_like(plain), [0, 0, size[1], size[0]]
        still = all(lain.meshes[k] is None for k in used)
        moved_levels = None
        for n, k in enumerate(used):
            progress.at(0.42 + 0.3 * n / len(used), f"Laying {frames[k].name} in place")
            mosaic = mosaics.get(k)
            if hot.any():
                mend_sites(mosaic, hot)
            mesh = lain.meshes[k]
            if lain.sky:
                lying.put(n, mosaic)
                mesh = mesh or Mesh.identity(size)
            if still and not lain.sky:
                lying.put(n, mosaic)
                continue
            if lain.sky and lain.ground is not None:
                # Below the lowest sky nothing needs to be turned; it is left outside.
                rows = np.flatnonzero((lain.ground < 250).sum(1) > 4)
                bottom = min(int(rows[-1] if rows.size else 0) + int(mesh.largest_shift) + 32, size[0])
                mosaic = mosaic[: bottom // 2 * 2]
            # In a stack every frame goes through the filter, that all stars and edges are drawn alike.
            mesh = mesh or Mesh.identity(size)
            moved, black, white, clip = resample_mosaic(
                mosaic,
                mesh,
                levels["pattern"],
                frames[k].black,
                frames[k].white,
                found.clip[k],
                levels["gains"],
                found.noise[k].slope,
                found.noise[k].offset,
                1,
            )
            moved_levels = (np.full(3, black, np.float32), white, clip)
            spread += noise_share(mesh, first.pattern, first.neutral_gains) / len(used)
            (turned if lain.sky else lying).put(n, moved)
            box = mesh.covered(size)
            left, top = max(common[0], box[0]), max(common[1], box[1])
            right, bottom = min(common[0] + common[2], box[0] + box[2]), min(common[1] + common[3], box[1] + box[3])
            common = [left, top, max(right - left, 0), max(bottom - top, 0)]
        own = (first.black.astype(np.float32), first.white, min(found.clip[k] for k in used))
        if lain.sky:
            sources = [_Source(lying, *own, plain), _Source(turned, *moved_levels, spread)]
        elif still:
            sources = [_Source(lying, *own, plain)]
        else:
            sources = [_Source(lying, *moved_levels, spread)]
        merged, rejected = _in_bands(
            sources,
            lain.ground,
            used,
            first.pattern,
            gains,
            found,
            reference,
            _METHODS[method],
            progress.part(0.72, 1.0),
        )
    merged.source[:] = used.index(reference)
    return Stacked(
        merged,
        used,
        method,
        gains,
        lain.ground,
        int(hot.sum()),
        rejected,
        tuple(common) if not still or lain.sky else None,
        [lain.shifts[k] for k in used],
        [lain.errors[k] for k in used],
        lain.aside,
        lain.warnings,
    )


def _in_bands(
    sources: Sequence[_Source],
    ground: np.ndarray | None,
    used: list[int],
    pattern,
    gains,
    found: Gathered,
    reference: int,
    method: int,
    progress: Progress,
) -> tuple[MergedMosaic, float]:
    """Reduce band by band; where ground and sky meet, both are reduced and blended."""
    height, width = sources[0].mosaics.shape
    count = len(used)
    out = MergedMosaic(
        np.empty((height, width), np.float32),
        np.empty((height, width), np.float32),
        np.zeros((height, width), np.uint8),
        np.zeros((height, width), np.bool_),
    )
    model = found.noise[reference]
    slope, offset = model.slope.astype(np.float32), model.offset.astype(np.float32)
    rows = int(np.clip(_BAND // (count * width * 2), 16, height))
    rows += rows % 2
    pad = _REACH + 1 if method == 1 else 0
    rejected = samples = 0
    for top in range(0, height, rows):
        progress.at(top / height, "Stacking light")
        bottom = min(top + rows, height)
        low, high = max(top - pad, 0), min(bottom + pad, height)
        results = []
        part = ground[top:bottom] if ground is not None else None
        for index, source in enumerate(sources):
            if part is not None and (part.max() == 0 if index == 0 else part.min() == 255):
                results.append(None)
                continue
            band = source.mosaics.band(low, high)
            scale = (1.0 / (source.white - source.black)).astype(np.float32)
            marks = np.zeros((count, 1, 1), np.uint8)
            if method == 1:
                single, marks = np.empty(band.shape, np.uint8), np.empty(band.shape, np.uint8)
                _outliers(
                    band,
                    low,
                    pattern,
                    source.black,
                    scale,
                    gains,
                    slope,
                    offset,
                    source.clip,
                    np.float32(_OUTLIER),
                    single,
                )
                _grow(single, _BESIDE, _REACH, marks)
                rejected += int(marks[:, ::4, ::4].sum())
                samples += marks[:, ::4, ::4].size
            light, variance = (np.empty((bottom - top, width), np.float32) for _ in range(2))
            clipped = np.empty((bottom - top, width), np.bool_)
            _reduce(
                band,
                marks,
                low,
                top - low,
                bottom - low,
                pattern,
                source.black,
                scale,
                gains,
                slope,
                offset,
                source.clip,
                method,
                source.spread,
                light,
                variance,
                clipped,
            )
            results.append((light, variance, clipped))
        if len(results) == 1 or results[1] is None:
            light, variance, clipped = results[0]
        elif results[0] is None:
            light, variance, clipped = results[1]
        else:
            share = part.astype(np.float32) / np.float32(255)
            light = results[0][0] * share + results[1][0] * (1 - share)
            variance = results[0][1] * share**2 + results[1][1] * (1 - share) ** 2
            clipped = np.where(part > 127, results[0][2], results[1][2])
        out.light[top:bottom], out.variance[top:bottom], out.clipped[top:bottom] = light, variance, clipped
    return out, rejected / max(samples, 1)


def as_one_frame(stacked: Stacked, frame: RawFrame, found: Gathered, k: int) -> None:
    """Put a stack's mean in the place of one of its frames, for merging with other exposures, in place."""
    from crenn.core.align.resample import FULL
    from crenn.core.noise.model import NoiseModel

    black = FULL / 16
    number = stacked.merged.light * np.float32(FULL - black) + np.float32(black)
    frame.mosaic = np.where(stacked.merged.clipped, np.float32(FULL), np.clip(np.rint(number), 0, FULL - 1)).astype(
        np.uint16
    )
    frame.black, frame.white = np.full(3, black, np.float32), FULL
    found.clip[k] = FULL
    share = np.float32(
        float(
            np.median(
                stacked.merged.variance[1::16, ::16]
                / np.maximum(
                    found.noise[k].slope[1] * np.maximum(stacked.merged.light[1::16, ::16], 0)
                    + found.noise[k].offset[1],
                    1e-12,
                )
            )
        )
    )
    found.noise[k] = NoiseModel(
        found.noise[k].slope * share, found.noise[k].offset * share + np.float32(1 / 12 / (FULL - black) ** 2)
    )
