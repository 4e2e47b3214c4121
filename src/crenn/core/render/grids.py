"""Grids of a scene: its edge-aware base, and what is found on the reduced picture and carried to any size."""

from dataclasses import dataclass

import numpy as np

from crenn.core.pipeline.instructions import Instruction
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.pipeline.planes import GuidedField
from crenn.core.render.cache import Cache
from crenn.core.render.encode import Reading
from crenn.core.render.grid import BaseGrid, build_base, carry, looked_up, reduced_for_base
from crenn.core.render.planes import around
from crenn.core.render.source import Source

#: Longer side of the picture that grids are made from, in pixels.
_SMALL = 900


@dataclass(frozen=True)
class _Found:
    """A grid that carries what a step has found on the reduced picture, and what holds for the whole."""

    grid: BaseGrid
    whole: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes


class Grids:
    """Makes the grids of sources."""

    def __init__(self, cache: Cache):
        self._cache = cache

    def small(self, source: Source, frame: PictureGeometry) -> np.ndarray:
        """The whole scene reduced, float32 (h, w, 3), once the lens is corrected."""
        source = source.coarse

        def lit(key: bytes) -> np.ndarray:
            small = self._cache.get(source, "reduced", (), reduced)
            if not frame.fades:
                return small
            y, x = np.mgrid[: small.shape[0], : small.shape[1]]
            places = (np.stack([x.ravel(), y.ravel()], -1) + 0.5) * (source.size[1] / small.shape[1])
            return np.asarray(small * np.exp2(frame.falloff_at(places)).reshape(*small.shape[:2], 1).astype(np.float32))

        def reduced() -> np.ndarray:
            level = source.level_for(_SMALL / max(source.size))
            return reduced_for_base(np.asarray(source.read(level)), _SMALL)[0]

        # What compresses asks for it at each step of a dial.
        return self._cache.get(source, "lit", (frame.falloff_key,), lit)

    def base(self, source: Source, frame: PictureGeometry, reach: float) -> BaseGrid:
        """The edge-aware base of the scene for a reach, in % of its longer side, once the lens is corrected."""
        source = source.coarse

        def make(reach: float, key: bytes) -> BaseGrid:
            small = self.small(source, frame)
            return build_base(small, source.size[1] / small.shape[1], reach, source.size, source.floor)

        return self._cache.get(source, "base", (round(reach, 3), frame.falloff_key), make)

    def carried(self, source: Source, frame: PictureGeometry, carried: GuidedField) -> tuple[BaseGrid, np.ndarray]:
        """The grid that carries values of the reduced picture, and what holds for the whole, float64 (N,)."""
        source = source.coarse

        def make(carried: GuidedField, key: bytes) -> _Found:
            small, _ = reduced_for_base(self.small(source, frame), carried.side)
            scale = source.size[1] / small.shape[1]
            values, whole = carried.make(small, around(source, 1.0 / scale, frame))
            return _Found(carry(values, small, scale, carried.reach, source.size, source.floor), whole)

        found = self._cache.get(source, "carried", (carried, frame.falloff_key), make)
        return found.grid, found.whole

    def read(self, source: Source, frame: PictureGeometry, instruction: Instruction) -> Reading:
        """The grid that an instruction reads, as it lies in a frame."""
        source = source.coarse
        curve, carried = instruction.curve, instruction.carried
        if carried is not None:
            base, what = self.carried(source, frame, carried)[0], carried.key
        else:
            assert curve is not None
            base, what = self.base(source, frame, curve.reach), ("base", (round(curve.reach, 3),))
        if frame.offset is None:
            base = self._cache.get(source, "through", (what, frame), lambda what, frame: base.through(frame))
        return (
            Reading(base.cells, base) if curve is None else Reading(looked_up(base.cells, curve), base, curve.stretch)
        )
