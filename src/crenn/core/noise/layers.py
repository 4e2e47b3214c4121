"""The noise of a scene beside its light: split off once, mixed in and out as often as one likes."""

import itertools
import json
import mmap
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numba as nb
import numpy as np

from crenn.core.fastmath import half, single
from crenn.core.files import replacing_folder
from crenn.core.noise.averaging import FACTORS
from crenn.core.noise.cleaning import Box, Cleaner
from crenn.core.noise.stars import stars_in
from crenn.core.pipeline.scene import SceneLight
from crenn.core.progress import Progress, side_by_side
from crenn.core.threads import kernels_at_once

#: What the channels of a level hold: noise taken out, what twice as much noise would take out besides, and where stars
#: are, 0 to 1.
TAKEN, FURTHER, STARS = slice(0, 3), slice(3, 6), 6
CHANNELS = 7
#: The smallest level's longer side is at most this.
_SMALLEST = 512
#: Rows that are made smaller at once.
_BAND = 512
#: Pixels that are cleaned at once, and the fewest rows of them.
_PIXELS, _ROWS = 6_000_000, 256
#: Side of the cells by which it is known what has been cleaned, and how many pixels are cleaned at once for a view.
_CELL, _AT_ONCE = 32, 1_600_000
#: What half precision holds at most.
_MOST = np.float32(65000.0)


@dataclass
class NoiseLayers:
    """Levels of what was split off; level n is reduced 2ⁿ times.

    Attributes
    ----------
    levels : list of ndarray, float16 (h, w, CHANNELS)
        See `TAKEN`, `FURTHER` and `STARS`.
    gains_db : tuple of tuple of float
        By how much signal to noise grows in smooth places, in dB: see `Cleaner.gains_db`.
    whole : bool
        Whether all of the scene has been cleaned.
    version : int
        Grows with each part that is put.
    done : ndarray, bool (H / 32, W / 32), or None
        Which cells have been put, while not all of the scene has.
    number : int
        That no other layers have.
    """

    levels: list[np.ndarray]
    gains_db: tuple[tuple[float, ...], ...] = ((0.0,) * len(FACTORS),) * 2
    whole: bool = True
    version: int = 0
    done: np.ndarray | None = None
    number: int = field(default_factory=itertools.count().__next__)

    @classmethod
    def nothing(cls, size: tuple[int, int]) -> "NoiseLayers":
        """Layers of a scene of size (H, W) with nothing in them yet; memory is taken where something is put."""
        height, width = size
        halves = max(height // 2, 1), max(width // 2, 1)
        done = np.zeros([-(-n // _CELL) for n in size], np.bool_)
        return cls([_nothing((*n, CHANNELS)) for n in (size, halves)], whole=False, done=done)

    def put(self, box: Box, layers: np.ndarray) -> None:
        """Put the layers of a part, (h, w, CHANNELS), to their place, and reduced into the level below."""
        top, left, height, width = box
        self.levels[0][top : top + height, left : left + width] = layers
        if len(self.levels) > 1:
            even = np.s_[top // 2 * 2 : (top + height) // 2 * 2, left // 2 * 2 : (left + width) // 2 * 2]
            part = single(self.levels[0][even])
            rows = part[::2] + part[1::2]
            mean = (rows[:, ::2] + rows[:, 1::2]) * np.float32(0.25)
            target = self.levels[1][top // 2 : top // 2 + len(mean), left // 2 : left // 2 + mean.shape[1]]
            target[:] = mean[: target.shape[0], : target.shape[1]]
        self.version += 1
        if self.done is not None:
            # Cells that reach beyond the scene are whole where it ends.
            ends = [
                -(-e // _CELL) if e == n else e // _CELL
                for e, n in zip((top + height, left + width), self.levels[0].shape)
            ]
            self.done[-(-top // _CELL) : ends[0], -(-left // _CELL) : ends[1]] = True

    def missing(self, box: Box) -> list[Box]:
        """What is to be cleaned that a part may be shown: in whole cells, few pixels at once."""
        if self.done is None:
            return []
        top, left, height, width = box
        first, ends = (top // _CELL, left // _CELL), (-(-(top + height) // _CELL), -(-(left + width) // _CELL))
        rows, columns = np.nonzero(~self.done[first[0] : ends[0], first[1] : ends[1]])
        if rows.size == 0:
            return []
        (y0, y1), (x0, x1) = (
            ((int(n.min()) + f) * _CELL, min((int(n.max()) + f + 1) * _CELL, whole))
            for n, f, whole in zip((rows, columns), first, self.levels[0].shape)
        )
        strips = -(-(y1 - y0) * (x1 - x0) // _AT_ONCE)
        high = -(-(y1 - y0) // strips // _CELL) * _CELL
        return [(y, x0, min(high, y1 - y), x1 - x0) for y in range(y0, y1, high)]

    @property
    def key(self) -> tuple[int, int]:
        """What tells it from other layers, and from itself as it was."""
        return self.number, self.version

    def save(self, folder: Path) -> None:
        """Write to a folder, all or nothing."""
        with replacing_folder(folder, "The noise cannot be split off") as part:
            for index, level in enumerate(self.levels):
                np.save(part / f"level{index}.npy", level)
            (part / "noise.json").write_text(json.dumps({"gains_db": self.gains_db}))

    @classmethod
    def open(cls, folder: Path) -> "NoiseLayers | None":
        """Open what was saved; arrays stay on disk until they are looked at. None if there is nothing, or not all."""
        folder = Path(folder)
        try:
            told = json.loads((folder / "noise.json").read_text())
            gains = np.array(told["gains_db"], np.float64)
            levels: list[np.ndarray] = []
            while (path := folder / f"level{len(levels)}.npy").exists():
                levels.append(np.load(path, mmap_mode="c"))
        except (OSError, ValueError, KeyError, TypeError):
            return None
        fitting = all(level.ndim == 3 and level.shape[2] == CHANNELS for level in levels)
        if gains.shape != (2, len(FACTORS)) or not levels or not fitting:
            return None
        return cls(levels, tuple(map(tuple, gains.tolist())))


def _nothing(shape: tuple[int, int, int]) -> np.ndarray:
    """Zeros, float16, that take memory page by page as they are written to; NumPy might clear memory freed before."""
    count = int(np.prod(shape))
    pages = mmap.mmap(-1, 2 * count, flags=mmap.MAP_PRIVATE | mmap.MAP_ANONYMOUS)
    return np.frombuffer(pages, np.float16, count).reshape(shape)


def parts_of(size: tuple[int, int]) -> Iterator[Box]:
    """The parts of a scene of size (H, W) that are cleaned one after the other, from the top down."""
    height, width = size
    # Some parts at least, so that progress is told of small scenes as well.
    rows = max(min(_PIXELS // width, -(-height // 3)) // 64 * 64, _ROWS)
    for top in range(0, height, rows):
        yield top, 0, min(rows, height - top), width


def part_of(
    cleaner: Cleaner, rgb: np.ndarray, sigma: np.ndarray | None, box: Box, progress: Progress | None = None
) -> np.ndarray:
    """Layers of a part of a scene, float16 (h, w, CHANNELS)."""
    top, left, height, width = box
    light = np.array(rgb[top : top + height, left : left + width], np.float32)
    clean, stronger = cleaner.clean(box, progress)
    out = np.empty((height, width, CHANNELS), np.uint16)
    _layered(light, clean, stronger, np.asarray(stars_in(rgb, sigma, box), np.float32), out)
    return out.view(np.float16)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _layered(light, clean, stronger, stars, out):
    """Half precision's bits of what is taken, of what further, and of stars; lamps may have more than it holds."""
    for y in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            for c in range(3):
                taken, further = light[y, x, c] - clean[y, x, c], clean[y, x, c] - stronger[y, x, c]
                out[y, x, c] = half(min(max(taken, -_MOST), _MOST))
                out[y, x, 3 + c] = half(min(max(further, -_MOST), _MOST))
            out[y, x, 6] = half(min(max(stars[y, x], -_MOST), _MOST))


def split(
    rgb: np.ndarray, sigma: np.ndarray | None, light: SceneLight, progress: Progress | None = None
) -> NoiseLayers:
    """Split the noise off a scene.

    Parameters
    ----------
    rgb, sigma : ndarray, float32 (H, W, 3)
        Scene-linear light and its predicted deviation, or None if that is not known; may lie on disk.
    light : SceneLight
    progress : Progress, optional
        Can cancel between passes of the filter.

    Returns
    -------
    NoiseLayers
    """
    progress = progress or Progress()
    cleaner = Cleaner(rgb, sigma, light.capture)
    layers = np.empty((*cleaner.size, CHANNELS), np.float16)

    def one(box: Box, within: Progress) -> None:
        top, left, height, width = box
        layers[top : top + height, left : left + width] = part_of(cleaner, rgb, sigma, box, within)

    boxes = list(parts_of(cleaner.size))
    shares = [height / len(layers) for _, _, height, _ in boxes]
    # Filters keep all processors busy, what comes before and after them one: two parts at a time do.
    side_by_side(one, boxes, shares, progress.part(0.0, 0.94), "Taking noise out", kernels_at_once(2))
    gains = cleaner.gains_db()
    return NoiseLayers(_reduced(layers, progress.part(0.95, 1.0)), gains)


def _reduced(layers: np.ndarray, progress: Progress) -> list[np.ndarray]:
    """A pyramid of layers, as large as that of a prepared scene."""
    levels = [layers]
    while max(levels[-1].shape[:2]) > _SMALLEST:
        larger = levels[-1]
        height, width = larger.shape[:2]
        smaller = np.empty((max(height // 2, 1), max(width // 2, 1), CHANNELS), np.float16)
        # Where two rows make one, bands of them are made smaller one after the other.
        for top in range(0, height, band := _BAND if height % 2 == 0 else height):
            progress.at(1 - (1 - 0.75 * top / height) * 4.0 ** (1 - len(levels)), "Preparing views")
            part = single(larger[top : top + band])
            to = smaller[top // 2 : max((top + band) // 2, 1)]
            # OpenCV takes four channels at once.
            for some in (np.s_[..., :4], np.s_[..., 4:]):
                to[some] = cv2.resize(np.ascontiguousarray(part[some]), to.shape[1::-1], interpolation=cv2.INTER_AREA)
        levels.append(smaller)
    return levels
