"""Star trails: what the turning sky would have drawn in the pauses between frames."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING

import cv2
import numpy as np

from crenn.core.frames.light import LightFrame
from crenn.core.geometry.mapping import Mesh
from crenn.core.merge.mosaics import Mosaics
from crenn.core.merge.stack_registration import light_of_quads, luma_of, mended, moments, stars_in
from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.moving import MISSING, MOVED_LEVELS, Interpolated
from crenn.core.progress import Progress

if TYPE_CHECKING:
    from crenn.core.geometry.lens import Lens

#: So many frames, the nearest to the reference frame in time, tell how the sky turns.
_ASKED = 9
#: Stars that are trails already are found as points in pictures reduced by this.
_REDUCED = (1, 2, 4)
#: A pause is filled if it is no longer than so many exposures: beyond, trails are meant to be dotted.
_LONGEST = 3.0
#: Stars that move by fewer pixels between frames leave no gaps.
_STANDS = 0.7
#: Where a filled gap stands out from its surroundings by so many deviations of noise there is a star.
_STAR = 5.0
#: Stars are narrower than the second, in quads of sites; wires and twigs before the sky than the first.
_CLOSED, _OPENED = np.ones((5, 5), np.uint8), np.ones((9, 9), np.uint8)


@dataclass(frozen=True)
class Pause:
    """A time between two frames, told by their places, and at what shares of it stars are drawn."""

    before: int
    after: int
    seconds: float
    shares: tuple[float, ...]


@dataclass(frozen=True)
class Turning:
    """How a sky turns over frames that stand still.

    Attributes
    ----------
    lens : Lens
    rate : ndarray, float64 (3,)
        Rotation vector of the sky's directions per second, or from frame to frame where no clock tells the time.
    pauses : tuple of Pause
    """

    lens: "Lens"
    rate: np.ndarray
    pauses: tuple[Pause, ...]

    @property
    def drawn(self) -> int:
        """How many pictures fill all pauses."""
        return sum(len(p.shares) for p in self.pauses)

    def mesh(self, seconds: float) -> Mesh:
        """From pixels to where what is seen there was, or will be, so many seconds later."""
        from scipy.spatial.transform import Rotation

        turn = Rotation.from_rotvec(self.rate * seconds).as_matrix()
        width, height = self.lens.size
        return Mesh.of(lambda p: self.lens.pixels(self.lens.directions(p) @ turn.T), (height, width))


def find_turning(
    frames: Sequence[LightFrame], mosaics: Mosaics, hot: np.ndarray, reference: int, progress: Progress
) -> Turning | None:
    """Tell from stars how the sky turns between frames that stand still: None if it shows none that turn evenly."""
    from crenn.core.align.stars import fit_sky, is_star_field, turning_rate, turns_evenly

    times, clocked = moments(frames)
    nearest = np.argsort(np.abs(times - times[reference]), kind="stable")[:_ASKED]
    own = int(np.flatnonzero(nearest == reference)[0])
    lumas = []
    for n, k in enumerate(nearest):
        progress.at(n / len(nearest), f"Looking for stars in {frames[k].name}")
        lumas.append(luma_of(light_of_quads(frames[k], mended(mosaics, int(k), hot))))
    height, width = mosaics.shape
    for reduced in _REDUCED:
        found = []
        for k, luma in zip(nearest, lumas):
            size = (luma.shape[1] // reduced, luma.shape[0] // reduced)
            found.append(stars_in(frames[k], cv2.resize(luma, size, interpolation=cv2.INTER_AREA), reduced))
        if not is_star_field(found[own]):
            continue
        fit = fit_sky(found, times[nearest], own, (width, height))
        if turns_evenly(fit, times[nearest], own, clocked):
            rate = turning_rate(fit, times[nearest], own)
            turning = Turning(fit.lens, rate, _pauses(frames, times, clocked))
            steps = [turning.mesh(p.seconds).largest_shift for p in turning.pauses]
            return turning if steps and max(steps) > _STANDS else None
    return None


def _pauses(frames: Sequence[LightFrame], times: np.ndarray, clocked: bool) -> tuple[Pause, ...]:
    """Pauses to fill. An exposure's trail, drawn anew at each share of the way, leaves none of it open."""
    order = np.argsort(times, kind="stable")
    out = []
    for before, after in pairwise(order):
        step = float(times[after] - times[before])
        open_for = frames[before].metadata.seconds or 0.0
        # Without a clock a pause is taken to be shorter than the exposure.
        pause = step / open_for - 1 if clocked and open_for else 1.0
        count = int(np.ceil(round(pause, 2))) if pause <= _LONGEST else 0
        if count > 0:
            shares = tuple((n + 1) / (count + 1) for n in range(count))
            out.append(Pause(int(before), int(after), step, shares))
    return tuple(out)


def draw_pauses(
    turning: Turning,
    frames: Sequence[LightFrame],
    mosaics: Mosaics,
    hot: np.ndarray,
    first: LightFrame,
    progress: Progress,
) -> Iterator[np.ndarray]:
    """Mosaics that hold the stars of pauses, and nothing else.

    The frames before and after a pause are both turned to one moment in it. Of both, the darker tells: a star is in
    both, a lamp or an edge on the ground in neither twice at one place. What remains is kept where it stands out from
    what is around (white top-hat, Serra 1982).

    Yields
    ------
    ndarray, uint16 (H, W)
        A mosaic of `MOVED_LEVELS`; `MISSING` where no star is.
    """
    done = 0
    ready: dict[int, tuple[Interpolated, np.ndarray]] = {}
    for pause in turning.pauses:
        for share in pause.shares:
            progress.at(done / turning.drawn, f"Filling the pause after {frames[pause.before].name}")
            done += 1
            turned, seen = [], []
            for k, seconds in ((pause.before, -share), (pause.after, 1 - share)):
                mesh, frame = turning.mesh(seconds * pause.seconds), frames[k]
                if k not in ready:
                    mosaic, gains = mended(mosaics, k, hot), first.raw.neutral_gains
                    whole = Interpolated.of(mosaic, first.pattern, frame.levels, gains, frame.noise, 1)
                    ready[k] = whole, _quads(mosaic, frame.levels)
                turned.append(ready[k][0].moved(mesh))
                seen.append(ready[k][1])
            # What lies outside one of them is the largest number there is.
            drawn = np.minimum(*turned)
            drawn[(turned[0] == MISSING) | (turned[1] == MISSING)] = MISSING
            yield _stars_of(drawn, MOVED_LEVELS, np.maximum(*seen), first)
        # The frame after this pause is the one before the next.
        ready = {k: kept for k, kept in ready.items() if k == pause.after}


def _quads(mosaic: np.ndarray, levels: Levels) -> np.ndarray:
    """Mean light of each four sites, all alike, float32 (H // 2, W // 2)."""
    height, width = mosaic.shape
    sites = cv2.resize(mosaic.astype(np.float32), (width // 2, height // 2), interpolation=cv2.INTER_AREA)
    return (sites - levels.black[1]) / np.float32(levels.white - levels.black[1])


def _stars_of(drawn: np.ndarray, levels: Levels, seen: np.ndarray, first: LightFrame) -> np.ndarray:
    """Leave of a mosaic what stands out from its surroundings, but for what is darker in ``seen``: a mast, a wire."""
    light = _quads(np.where(drawn == MISSING, np.uint16(levels.black[1]), drawn), levels)
    smooth = cv2.GaussianBlur(light, (0, 0), 0.8)
    around = cv2.morphologyEx(smooth, cv2.MORPH_CLOSE, _CLOSED)
    around = cv2.morphologyEx(around, cv2.MORPH_OPEN, _OPENED)
    deviation = np.sqrt(first.noise.slope[1] * np.maximum(around, 0) + first.noise.offset[1]) / 2
    # Smoothing by a Gaussian leaves 1 / (4 pi sigma²) of the variance.
    star = smooth - around > _STAR * deviation / np.sqrt(4 * np.pi * 0.8**2)
    star &= seen > around - _STAR * deviation
    return np.where(star.repeat(2, 0).repeat(2, 1), drawn, np.uint16(MISSING))
