"""Finds what moved between the frames of a bracket, from the noise model, and from which frame each part comes."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import cv2
import numba as nb
import numpy as np

from crenn.core.frames.light import LightFrame
from crenn.core.merge.brush import stroke_mask
from crenn.core.merge.instructions import Instructions
from crenn.core.mosaic.moving import MISSING
from crenn.core.progress import Progress

#: Side of a cell, in pixels: what is compared is the mean of a cell.
CELL = 4
_TEXT = "Finding what moved"
#: Sites of red, green and blue in a cell.
_TAPS = np.array([4.0, 8.0, 4.0], np.float32)
#: A difference counts as motion from this many standard deviations of its noise.
_THRESHOLD = 6.0
#: Besides noise, frames may differ by this share of the light: flicker, a lens that closes unevenly.
_TOLERANCE = 0.012
#: And by this share of the light's range around: what remains of shake, and of moving a frame over another.
_PLACED, _MOVED = 0.06, 0.12
#: Over so many cells faint motion is looked for once more.
_BLOCK = 5
#: A solid region comes from the frame with the best signal to noise up to so many dB, less so many for clipped places.
_ENOUGH, _LOST = 24.0, 60.0
#: A region of at least this many cells is water or leaves, not a solid thing, if over so many cells its changes cancel
#: to less than this share.
_SOFT_SIZE, _SOFT_CELLS, _COHERENT = 600, 9, 0.88
#: Clipped light is not met by less than this share of it; a lamp of which more than this share is not met moved on.
_MET, _DENIED = 0.7, 0.15
#: So many regions, the largest, are told.
_TOLD = 40
_NEAR = np.ones((3, 3), np.uint8)


@dataclass
class Motion:
    """What moved.

    Attributes
    ----------
    share : ndarray, uint8 (K, H // 4, W // 4)
        Share of 255 with which each frame may speak.
    moved : ndarray, uint8 (H // 4, W // 4)
        0 where nothing moved, else 1 + the frame that the place comes from.
    decided : ndarray, bool (H // 4, W // 4)
        Where the user said what moved, or which frame a region comes from.
    regions : list of tuple
        (x, y, width, height, frame, soft) of the largest regions, in cells.
    """

    share: np.ndarray
    moved: np.ndarray
    decided: np.ndarray
    regions: list[tuple] = field(default_factory=list)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _cells(mosaic, pattern, black, scale, level, light, clipped, absent):
    """Mean radiance of each cell and colour, whether a site of that colour clips, and whether one is missing."""
    rows, columns = light.shape[:2]
    for i in nb.prange(rows):
        for j in range(columns):
            absent[i, j] = False
            for c in range(3):
                light[i, j, c] = np.float32(0)
                clipped[i, j, c] = False
            for y in range(i * CELL, (i + 1) * CELL):
                for x in range(j * CELL, (j + 1) * CELL):
                    c = pattern[y & 1, x & 1]
                    raw = np.float32(mosaic[y, x])
                    light[i, j, c] += (raw - black[c]) * scale[c]
                    if mosaic[y, x] == MISSING:
                        absent[i, j] = True
                    elif raw >= level:
                        clipped[i, j, c] = True


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _compare(
    light,
    variance,
    blocked,
    absent,
    mean,
    mean_variance,
    span,
    level,
    placed,
    threshold,
    tolerance,
    slack,
    z,
    difference,
    total_variance,
):
    """How far a frame differs from the mean of those before it, in units of what is allowed; its green difference."""
    for i in nb.prange(z.shape[0]):
        for j in range(z.shape[1]):
            worst = np.float32(0)
            difference[i, j] = np.float32(0)
            total_variance[i, j] = variance[i, j, 1] + mean_variance[i, j, 1]
            if not absent[i, j]:
                # Clipped light of one colour spoils all colours around it in a frame that was moved.
                foreseen = False
                for c in range(3):
                    reach = mean[i, j, c] + np.float32(6) * np.sqrt(mean_variance[i, j, c])
                    if placed and reach + span[i, j, c] >= np.float32(0.8) * level[c]:
                        foreseen = True
                for c in range(3):
                    m = mean[i, j, c]
                    allowed = (
                        threshold * np.sqrt(variance[i, j, c] + mean_variance[i, j, c])
                        + tolerance * abs(m)
                        + slack * span[i, j, c]
                    )
                    if blocked[i, j, c]:
                        # A clipped colour is a lower bound: what is brighter than all that agree has moved on. Not so
                        # in a frame that was moved: what clipped light has touched is as good as missing there.
                        if not placed:
                            worst = max(worst, (light[i, j, c] - m) / allowed)
                        # And where no clipping was foreseen something has moved as well.
                        # A cell's brightest site may clip long before its mean does: its surroundings tell how far.
                        reach = m + np.float32(6) * np.sqrt(mean_variance[i, j, c]) + np.float32(1.5) * span[i, j, c]
                        if not foreseen and reach < np.float32(0.8) * level[c]:
                            worst = max(worst, np.float32(3))
                        continue
                    worst = max(worst, abs(light[i, j, c] - m) / allowed)
                if not blocked[i, j, 1]:
                    difference[i, j] = light[i, j, 1] - mean[i, j, 1]
            z[i, j] = worst


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _include(light, variance, blocked, absent, z, mean, mean_variance):
    """Take a frame into the mean where it agrees with it."""
    for i in nb.prange(z.shape[0]):
        for j in range(z.shape[1]):
            if absent[i, j] or z[i, j] > np.float32(0.7):
                continue
            for c in range(3):
                if not blocked[i, j, c]:
                    a, b = np.float32(1) / mean_variance[i, j, c], np.float32(1) / variance[i, j, c]
                    mean[i, j, c] = (a * mean[i, j, c] + b * light[i, j, c]) / (a + b)
                    mean_variance[i, j, c] = np.float32(1) / (a + b)


class _Cells:
    """The frames of a bracket as means of cells."""

    def __init__(self, stack: np.ndarray, frames: Sequence[LightFrame]):
        self.stack, self.frames = stack, frames
        self.gains = np.array([f.gain for f in frames])
        self.shape = (stack.shape[1] // CELL, stack.shape[2] // CELL)
        #: Frames from dark to bright.
        self.order = [int(i) for i in np.argsort(self.gains, kind="stable")]

    def measured(self, k: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """(light, variance, blocked, absent) of a frame: float32 and bool (rows, columns, 3), bool (rows, columns)."""
        rows, columns = self.shape
        frame, levels = self.frames[k], self.frames[k].levels
        light, blocked = np.empty((rows, columns, 3), np.float32), np.empty((rows, columns, 3), np.bool_)
        absent = np.empty((rows, columns), np.bool_)
        scale = 1.0 / ((np.float32(levels.white) - levels.black) * self.gains[k] * _TAPS)
        _cells(
            self.stack[k],
            frame.pattern,
            levels.black.astype(np.float32),
            scale.astype(np.float32),
            np.float32(levels.clip),
            light,
            blocked,
            absent,
        )
        slope = (frame.noise.slope / (self.gains[k] * _TAPS)).astype(np.float32)
        offset = (frame.noise.offset / (self.gains[k] ** 2 * _TAPS)).astype(np.float32)
        return light, np.maximum(light, 0) * slope + offset, blocked, absent

    def level(self, k: int) -> np.ndarray:
        """Radiance at which a frame clips, per colour."""
        return (self.frames[k].levels.clip_light / self.gains[k]).astype(np.float32)


@dataclass
class _Differences:
    """How the frames differ.

    Attributes
    ----------
    leader : ndarray, int16 (rows, columns)
        Each cell's leading frame.
    mean : ndarray, float32 (rows, columns, 3)
        Of all that agree.
    scores : ndarray, uint8 (K, rows, columns)
        By how much each frame differs, 60 for as much as is allowed.
    lost : ndarray, bool (K, rows, columns)
        Where a frame clips or is missing.
    moved : ndarray, bool (rows, columns)
    one_way, any_way : ndarray, float32 (rows, columns)
        Changes of the neighbourhood as a whole, and of its cells.
    brightest : ndarray, int16 (rows, columns)
        Frame of a passing light; −1 where there is none.
    """

    leader: np.ndarray
    mean: np.ndarray
    scores: np.ndarray
    lost: np.ndarray
    moved: np.ndarray
    one_way: np.ndarray
    any_way: np.ndarray
    brightest: np.ndarray


def _leaders(cells: _Cells, reference: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Each cell's leading frame: the reference, or where that clips the next darker one that does not."""
    mean, variance, blocked, _ = cells.measured(reference)
    open_places = blocked.any(-1)
    leader = np.full(cells.shape, reference, np.int16)
    for k in reversed(cells.order[: cells.order.index(reference)]):
        if not open_places.any():
            break
        light, own, blocked, absent = cells.measured(k)
        take = open_places & ~absent
        mean[take], variance[take] = light[take], own[take]
        leader[take] = k
        open_places &= blocked.any(-1) | absent
    return leader, mean, variance


def find_motion(
    stack: np.ndarray,
    frames: Sequence[LightFrame],
    reference: int,
    instructions: Instructions | None = None,
    progress: Progress | None = None,
) -> Motion:
    """Find what moved, and from which frame each moving region comes.

    Each place has one leading frame. The others are held against the mean of all that agreed with it so far, so that
    motion is also found where the leading frame is dark and noisy: two brighter frames cannot both be right. What
    differs by more than its noise, in any colour of a cell of 4×4 pixels, or over several cells together, has moved.
    A connected region comes from one frame, the one that measures most of it well without clipping. In water and
    leaves, where only detail moves and the mean stays, frames fade out by how much they differ.

    Parameters
    ----------
    stack : ndarray, uint16 (K, H, W)
        Mosaics, laid over each other.
    frames : sequence of LightFrame (K,)
        What is known of them.
    reference : int
        Place of the reference frame.
    instructions : Instructions, optional
        Strokes and choices as the sensor lay, and whether passing lights are kept.
    progress : Progress, optional

    Returns
    -------
    Motion
    """
    instructions, progress = instructions or Instructions(), progress or Progress()
    cells = _Cells(stack, frames)
    found = _compare_all(cells, reference, progress.part(0.0, 0.85))
    progress.at(0.85, _TEXT)
    painted = _painted(instructions, cells.shape, [f.name for f in frames])
    found.moved &= ~painted.still
    trails = np.zeros(cells.shape, bool)
    if instructions.keep_trails:
        # A passing light is where some frame is more than twice as bright as the leading one.
        trails = cv2.dilate((found.brightest >= 0).astype(np.uint8), _NEAR).astype(bool)
    whole = cv2.morphologyEx((found.moved & ~trails).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    out = Motion(
        np.full((len(frames), *cells.shape), 255, np.uint8), np.zeros(cells.shape, np.uint8), painted.moved.copy()
    )
    chosen, hard = _choose(cells, found, whole, instructions, out)
    if instructions.keep_trails:
        chosen[trails] = np.where(found.brightest[trails] >= 0, found.brightest[trails], chosen[trails])
        hard[trails] = 1
    hard[painted.moved] = 1
    chosen = np.where(painted.frame >= 0, painted.frame, chosen)
    for k in range(len(frames)):
        out.share[k] = _share(k, found, chosen, hard, painted.still | (whole == 0))
    out.moved[hard > 0] = chosen[hard > 0].astype(np.uint8) + 1
    return out


def _compare_all(cells: _Cells, reference: int, progress: Progress) -> _Differences:
    """Hold each frame against the mean of those that agree, from the reference frame's exposure outwards."""
    count, shape = len(cells.frames), cells.shape
    progress.at(0.0, _TEXT)
    leader, mean, variance = _leaders(cells, reference)
    lead = mean[..., 1].copy()
    span = cv2.dilate(mean, _NEAR) - cv2.erode(mean, _NEAR)
    ev = np.log2(cells.gains)
    z, difference, total_variance = (np.empty(shape, np.float32) for _ in range(3))
    out = _Differences(
        leader,
        mean,
        np.zeros((count, *shape), np.uint8),
        np.zeros((count, *shape), bool),
        np.zeros(shape, bool),
        np.zeros(shape, np.float32),
        np.zeros(shape, np.float32),
        np.full(shape, -1, np.int16),
    )
    brightest_light = lead * 2
    for done, k in enumerate(sorted(range(count), key=lambda i: abs(ev[i] - ev[reference]))):
        progress.at(0.2 + 0.8 * done / count, _TEXT)
        light, own, blocked, absent = cells.measured(k)
        out.lost[k] = blocked.any(-1) | absent
        others = leader != k
        if not others.any():
            continue
        placed = cells.frames[k].mesh is not None
        slack = np.float32(_MOVED if placed else _PLACED)
        _compare(
            light,
            own,
            blocked,
            absent,
            mean,
            variance,
            span,
            cells.level(k),
            placed,
            np.float32(_THRESHOLD),
            np.float32(_TOLERANCE),
            slack,
            z,
            difference,
            total_variance,
        )
        z[~others] = 0
        far = others & ~absent & _faint(z, difference, total_variance, mean, span, slack, blocked)
        out.moved |= (z > 1) | far
        z[far] = np.maximum(z[far], 1.3)
        soft_size = (_SOFT_CELLS, _SOFT_CELLS)
        # Over water and leaves brighter and darker places alternate; a thing is brighter or darker as a whole.
        relative = difference / np.maximum(np.abs(mean[..., 1]), 1e-9) * (z > 1)
        out.one_way += np.abs(cv2.blur(relative, soft_size))
        out.any_way += cv2.blur(np.abs(relative), soft_size)
        up = (z > 1) & (light[..., 1] > brightest_light)
        out.brightest[up], brightest_light[up] = k, light[..., 1][up]
        out.scores[k] = np.minimum(z * 60, 255).astype(np.uint8)
        _include(light, own, blocked, absent, z, mean, variance)
    return out


def _faint(z, difference, total_variance, mean, span, slack, blocked) -> np.ndarray:
    """Motion that only shows over several cells, where noise averages out: bool (rows, columns)."""
    size = (_BLOCK, _BLOCK)
    wide = np.abs(cv2.blur(difference, size))
    noise_wide = np.sqrt(cv2.blur(total_variance, size)) / _BLOCK
    allowed = (
        (_THRESHOLD + 1) * noise_wide
        + 2 * _TOLERANCE * np.abs(cv2.blur(mean[..., 1], size))
        + slack * cv2.blur(span[..., 1], size)
    )
    near_clipped = cv2.dilate(blocked.any(-1).astype(np.uint8), np.ones((5, 5))).astype(bool)
    # Beside what a single cell tells, a block only tells of the same thing.
    told = cv2.dilate((z > 1).astype(np.uint8), np.ones((2 * _BLOCK + 1, 2 * _BLOCK + 1), np.uint8)) > 0
    return (wide > allowed) & ~near_clipped & ~told


def _choose(
    cells: _Cells, found: _Differences, whole: np.ndarray, instructions: Instructions, out: Motion
) -> tuple[np.ndarray, np.ndarray]:
    """Choose a frame for each connected region: (frame of each cell, 1 where it alone speaks)."""
    shape, names = cells.shape, [f.name for f in cells.frames]
    number, labels, statistics, _ = cv2.connectedComponentsWithStats(whole, connectivity=8)
    hard = np.zeros(shape, np.uint8)
    chosen = found.leader.copy()
    asked = {
        int(labels[min(int(c.y * shape[0]), shape[0] - 1), min(int(c.x * shape[1]), shape[1] - 1)]): names.index(
            c.frame
        )
        for c in instructions.choices
        if c.frame in names
    }
    least = 8 if any(f.mesh is not None for f in cells.frames) else 3
    large = []
    for label in range(1, number):
        x, y, w, h, area = (int(v) for v in statistics[label])
        if area < least and label not in asked:
            continue
        part = (slice(y, y + h), slice(x, x + w))
        inside = labels[part] == label
        coherent = float(found.one_way[part][inside].sum() / max(found.any_way[part][inside].sum(), 1e-9))
        soft = area > _SOFT_SIZE and coherent < _COHERENT and label not in asked
        if label in asked:
            frame = asked[label]
        elif soft:
            frame = int(np.bincount(found.leader[part][inside]).argmax())
        else:
            frame = _one_frame(cells, found.mean[(*part, 1)], found.lost[(slice(None), *part)], inside)
        moved_on = _elsewhere(cells, found, frame, part, inside)
        if soft:
            out.moved[part][inside & found.moved[part]] = frame + 1
            # A lamp over the water is a thing, with all that is around it.
            chosen[part][moved_on], hard[part][moved_on] = frame, 1
        else:
            # Where even the chosen frame clips, the next darker one that does not speaks, if it saw the same.
            own = inside & (~found.lost[frame][part] | moved_on) if label not in asked else inside
            chosen[part][own] = frame
            hard[part][inside] = 1
            if label in asked:
                out.decided[part][inside] = True
        large.append((area, (x, y, w, h, frame, soft)))
    out.regions = [r for _, r in sorted(large, key=lambda e: -e[0])[:_TOLD]]
    return chosen, hard


def _elsewhere(
    cells: _Cells, found: _Differences, frame: int, part: tuple[slice, slice], inside: np.ndarray
) -> np.ndarray:
    """Where a frame clips, or nearly, on something that the darker frames saw elsewhere, bool like ``inside``.

    A clipped value is a lower bound. A lamp of which part of that is not met by what leads there has moved on: all of
    it must be the frame's own, or half a lamp would be left. A frame that was moved says nothing where it clips.
    """
    clips = found.lost[frame][part] & inside
    if cells.frames[frame].mesh is not None or not clips.any():
        return np.zeros_like(clips)
    light, _, _, absent = cells.measured(frame)
    denied = clips & ~absent[part] & (found.mean[part] < _MET * light[part]).any(-1)
    count, names = cv2.connectedComponents(clips.astype(np.uint8), connectivity=8)
    sizes, unmet = np.bincount(names.ravel(), minlength=count), np.bincount(names[denied], minlength=count)
    moved_on = unmet > _DENIED * sizes
    moved_on[0] = False
    return np.asarray(cv2.dilate(moved_on[names].astype(np.uint8), _NEAR) > 0) & inside


def _share(k: int, found: _Differences, chosen: np.ndarray, hard: np.ndarray, free: np.ndarray) -> np.ndarray:
    """Share of 255 with which a frame may speak, uint8 (rows, columns); it is never held back where ``free``."""
    # Soft: from full share where the frame differs by less than a third of what is allowed to none where by all of it,
    # without borders.
    fading = np.clip((found.scores[k].astype(np.float32) / 60 - 0.33) * 1.5, 0, 1)
    fading[free] = 0
    fading = np.maximum(cv2.blur(cv2.dilate(fading, _NEAR), (3, 3)), fading)
    fading[found.leader == k] = 0
    speaks = (chosen == k) & (hard > 0)
    silent = cv2.dilate(np.where((hard > 0) & (chosen != k), 255, 0).astype(np.uint8), _NEAR)
    silent[speaks] = 0
    silent = np.maximum(cv2.blur(silent, (3, 3)), silent)
    silent[speaks], fading[speaks] = 0, 0
    return 255 - np.maximum(silent, (fading * 255).astype(np.uint8))


def _one_frame(cells: _Cells, mean: np.ndarray, lost: np.ndarray, inside: np.ndarray) -> int:
    """The frame that a solid region comes from: it measures most of it well; clipped places count dearly."""
    light = np.maximum(mean[inside], 1e-9)
    # The reference frame comes first, then those nearest to it in exposure: another must be clearly better.
    best, score = 0, -np.inf
    for k in np.argsort(np.abs(np.log2(cells.gains)), kind="stable").tolist():
        noise = cells.frames[k].noise
        gain = float(cells.gains[k])
        variance = (noise.slope[1] * light * gain + noise.offset[1]) / (8 * gain * gain)
        quality = float(np.minimum(10 * np.log10(light**2 / variance), _ENOUGH).mean()) - _LOST * float(
            lost[k][inside].mean()
        )
        if quality > score + 1.0:
            best, score = k, quality
    return best


@dataclass
class _Painted:
    """What the user painted: frames (−1 for none), and where all or one shall speak."""

    moved: np.ndarray
    still: np.ndarray
    frame: np.ndarray


def _painted(instructions: Instructions, shape: tuple[int, int], names: Sequence[str]) -> _Painted:
    out = _Painted(np.zeros(shape, bool), np.zeros(shape, bool), np.full(shape, -1, np.int16))
    for stroke in instructions.strokes:
        if stroke.kind not in ("moved", "still"):
            continue
        mask = stroke_mask(stroke, shape)
        adds = stroke.kind == "moved"
        out.moved[mask], out.still[mask] = adds, not adds
        out.frame[mask] = names.index(stroke.frame) if adds and stroke.frame in names else -1
    return out
