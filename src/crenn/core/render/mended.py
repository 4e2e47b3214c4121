"""A scene with mends: whatever reads it sees the mended light, its noise and its planes."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from scipy import sparse

from crenn.core.mend.other_frame import OtherFrames
from crenn.core.mend.solve import Solved, sampled
from crenn.core.noise.cleaning import Box
from crenn.core.noise.layers import FURTHER, TAKEN, NoiseLayers
from crenn.core.pipeline.scene import SceneLight
from crenn.core.progress import Progress
from crenn.core.render.cache import Cache, digest_of
from crenn.core.render.source import ALL, Source

Read = Callable[[slice, slice], np.ndarray]


@dataclass(frozen=True, eq=False)
class Put:
    """A patch as it is put: solved, how far it covers, 0 to 1, and what tells it from others."""

    solved: Solved
    opacity: float
    key: bytes


class _Block(NamedTuple):
    """Pixels of a level, and where they begin."""

    top: int
    left: int
    pixels: np.ndarray

    @property
    def nbytes(self) -> int:
        return int(self.pixels.nbytes)


class Mended:
    """A `crenn.core.render.source.Source` with patches over another.

    Parameters
    ----------
    scene : Source
    patches : sequence of Put
        In the order in which they are put.
    cache : Cache
        Keeps what patches come to in other planes and at other sizes: each by those that touch it alone, so that of
        many patches one more costs what it is.
    coarse : Source, optional
        See `Source.coarse`; itself if None.
    """

    passing = False

    def __init__(self, scene: Source, patches: Sequence[Put], cache: Cache, coarse: Source | None = None):
        self._scene, self._patches, self._cache, self._coarse = scene, list(patches), cache, coarse
        self.key = (*scene.key, "mended", digest_of([put.key for put in self._patches]))
        self._boxes = np.array([put.solved.box for put in self._patches], np.int64).reshape(-1, 4)

    @property
    def coarse(self) -> Source:
        return self if self._coarse is None else self._coarse

    @property
    def size(self) -> tuple[int, int]:
        return self._scene.size

    @property
    def floor(self) -> float:
        return self._scene.floor

    @property
    def light(self) -> SceneLight:
        return self._scene.light

    @property
    def report(self) -> dict[str, Any]:
        return self._scene.report

    @property
    def noise(self) -> NoiseLayers | None:
        return self._scene.noise

    @property
    def others(self) -> OtherFrames:
        return self._scene.others

    def look(self) -> None:
        self._scene.look()

    def clean_part(self, box: Box, progress: Progress | None = None) -> None:
        self._scene.clean_part(box, progress)

    def level_for(self, scale: float) -> int:
        return self._scene.level_for(scale)

    def level_size(self, level: int) -> tuple[int, int]:
        return self._scene.level_size(level)

    def noise_size(self, level: int) -> tuple[int, int]:
        return self._scene.noise_size(level)

    def has(self, plane: str) -> bool:
        return self._scene.has(plane)

    def read(self, level: int, rows: slice = ALL, columns: slice = ALL) -> np.ndarray:
        return self._reduced("light", self._scene.read, self._scene.level_size, level, rows, columns)

    def read_noise(self, level: int, rows: slice = ALL, columns: slice = ALL) -> np.ndarray:
        noise = self._scene.noise
        name = ("noise", () if noise is None else noise.key)
        most = level
        # Levels of noise may be fewer than those of light: the coarsest stands for all beyond.
        while most > 0 and self._scene.noise_size(most) == self._scene.noise_size(most - 1):
            most -= 1
        return self._reduced(name, self._scene.read_noise, self._scene.noise_size, most, rows, columns)

    def plane(self, name: str, rows: slice = ALL, columns: slice = ALL) -> np.ndarray:
        return self._at_full(name, lambda r, c: self._scene.plane(name, r, c), rows, columns, len(self._patches))

    def _reduced(
        self,
        name: Any,
        read: Callable[[int, slice, slice], np.ndarray],
        size_of: Callable[[int], tuple[int, int]],
        level: int,
        rows: slice,
        columns: slice,
    ) -> np.ndarray:
        """A part of a level with patches over it."""
        if level == 0:
            return self._at_full(name, lambda r, c: read(0, r, c), rows, columns, len(self._patches))
        out = read(level, rows, columns)
        size = size_of(level)
        top, bottom, _ = rows.indices(size[0])
        left, right, _ = columns.indices(size[1])
        scale = self.size[0] / size[0], self.size[1] / size[1]
        # A pixel of a level looks at most at one more of the next finer level to each side.
        found = self._touching(
            (top - 2) * scale[0], (left - 2) * scale[1], (bottom + 2) * scale[0], (right + 2) * scale[1]
        )
        if not found.size:
            return out
        out = np.array(out)
        for index in found:
            y, x, block = self._block(int(index), name, read, size_of, level)
            y0, x0 = max(y, top), max(x, left)
            y1, x1 = min(y + block.shape[0], bottom), min(x + block.shape[1], right)
            if y1 > y0 and x1 > x0:
                out[y0 - top : y1 - top, x0 - left : x1 - left] = block[y0 - y : y1 - y, x0 - x : x1 - x]
        return out

    def _touching(self, top: float, left: float, bottom: float, right: float) -> np.ndarray:
        """Numbers of the patches that touch a box, in full-size pixels."""
        boxes = self._boxes
        return np.flatnonzero(
            (boxes[:, 0] < bottom) & (boxes[:, 1] < right) & (boxes[:, 2] > top) & (boxes[:, 3] > left)
        )

    def _block(
        self,
        index: int,
        name: Any,
        read: Callable[[int, slice, slice], np.ndarray],
        size_of: Callable[[int], tuple[int, int]],
        level: int,
    ) -> _Block:
        """Pixels of a level that a patch changes, made from the next finer one."""
        # What it is made of reaches so far beyond the patch, in full-size pixels.
        around = 4 * 2**level
        box = self._boxes[index]
        under = self._touching(box[0] - around, box[1] - around, box[2] + around, box[3] + around)
        own = [self._patches[i].key for i in under]

        def make(*_: Any) -> _Block:
            finer, size = size_of(level - 1), size_of(level)
            top, down = _span(box[0], box[2], self.size[0], finer[0], size[0])
            left, across = _span(box[1], box[3], self.size[1], finer[1], size[1])
            rows, columns = _touched(down), _touched(across)
            part = self._reduced(name, read, size_of, level - 1, rows, columns)
            high, wide, planes = part.shape
            mean = (down[:, rows] @ part.reshape(high, -1)).reshape(-1, wide, planes)
            mean = across[:, columns] @ mean.transpose(1, 0, 2).reshape(wide, -1)
            mean = mean.reshape(across.shape[0], -1, planes).transpose(1, 0, 2)
            return _Block(top, left, np.ascontiguousarray(mean, part.dtype))

        return self._cache.get(self._scene, "mended block", (own, self._patches[index].key, name, level), make)

    def _at_full(self, name: Any, read: Read, rows: slice, columns: slice, count: int) -> np.ndarray:
        """A part of an array at full size with the first ``count`` patches over it."""
        out = read(rows, columns)
        top, bottom, _ = rows.indices(self.size[0])
        left, right, _ = columns.indices(self.size[1])
        found = self._touching(top, left, bottom, right)
        found = found[found < count]
        if not found.size:
            return out
        out = np.array(out)
        for index in found:
            put = self._patches[index]
            patch, opacity = put.solved, put.opacity
            y0, x0 = max(patch.top, top), max(patch.left, left)
            y1, x1 = min(patch.box[2], bottom), min(patch.box[3], right)
            own = np.s_[y0 - patch.top : y1 - patch.top, x0 - patch.left : x1 - patch.left]
            there = np.s_[y0 - top : y1 - top, x0 - left : x1 - left]
            fill = self._fill(int(index), name, read)[own]
            share = patch.share[own] * np.float32(opacity)
            if fill.ndim == 3:
                share = share[..., None]
            if out.dtype.kind == "f":
                out[there] = np.where(share == 1, fill, out[there] + share * (fill - out[there]))
            else:
                out[there] = np.where(share >= 0.5, fill, out[there])
        return out

    def _fill(self, index: int, name: Any, read: Read) -> np.ndarray:
        """What a patch puts into an array at full size."""
        patch = self._patches[index].solved
        if name == "light":
            return patch.light
        plane = name[0] if isinstance(name, tuple) else name
        if (own := patch.own.get(plane)) is not None:
            return self._grown(own, plane, patch.gain)
        top, left = int(patch.rows.min()), int(patch.columns.min())
        bottom, right = int(np.ceil(patch.rows.max())) + 1, int(np.ceil(patch.columns.max())) + 1
        under = self._touching(top, left, bottom, right)
        keys = [self._patches[i].key for i in under[under < index]]

        def make(*_: Any) -> np.ndarray:
            there = self._at_full(name, read, slice(top, bottom), slice(left, right), index)
            found = sampled(there, patch.rows - top, patch.columns - left, patch.whole_pixels)
            return np.asarray(self._grown(found, plane, patch.gain), there.dtype)

        return self._cache.get(self._scene, "mended fill", (keys, self._patches[index].key, name), make)

    @staticmethod
    def _grown(found: np.ndarray, plane: str, gain: np.ndarray) -> np.ndarray:
        """Light's deviation, or noise layers, where light has grown by a gain; other planes stay as they are."""
        if plane == "noise":
            found = np.array(found, np.float32)
            for part in (TAKEN, FURTHER):
                found[..., part] *= gain
        return np.asarray(found * gain) if plane == "sigma" else found


def _span(first: float, last: float, whole: int, finer: int, coarser: int) -> tuple[int, sparse.csr_array]:
    """The first of a level's pixels from one place of the full size to another, and how they are means of the next
    finer level's, float64 (n, finer)."""
    begin = max(int(np.floor(first * coarser / whole)) - 1, 0)
    end = min(int(np.ceil(last * coarser / whole)) + 1, coarser)
    per = finer / coarser
    low, high = np.arange(begin, end)[:, None] * per, np.arange(begin + 1, end + 1)[:, None] * per
    cells = np.floor(low).astype(int) + np.arange(int(np.ceil(per)) + 1)
    weights = np.maximum(np.minimum(high, cells + 1) - np.maximum(low, cells), 0.0) / per
    held = weights > 0
    rows = np.broadcast_to(np.arange(end - begin)[:, None], cells.shape)
    return begin, sparse.csr_array((weights[held], (rows[held], cells[held])), (end - begin, finer))


def _touched(weights: sparse.csr_array) -> slice:
    """The columns of weights that are not all nothing."""
    return slice(int(weights.indices.min()), int(weights.indices.max()) + 1)
