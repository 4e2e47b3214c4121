"""Regions grown from places that were clicked: what is like them in light, colour and texture, and joined to them."""

from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import Field, model_validator

from crenn.core.areas.part import Keyed, Part, Place, Scenery
from crenn.core.colorimetry.circle import eased
from crenn.core.pipeline.step import dial

#: A region grows from so many places at most.
MOST_SEEDS = 24
#: Ways, in EV, at a reach of nothing and of 100 %.
_NEAREST, _FARTHEST = 0.06, 10.0
#: A place of a rough outline that is nearer to what lies outside than this share of the farthest is part of that.
_APART = 0.3
#: Over so much of its way a region fades, and holes of less than this share of the picture are filled.
_FADES, _HOLE = 0.15, 0.0008


class Seed(Keyed):
    """A place that a region grows from, or from which on it is another."""

    place: Place
    outside: bool = Field(False, description="what is nearer to it belongs to something else")
    sure: bool = Field(
        True, description="if not, it counts only if it is far from what lies outside: of a rough outline"
    )


class Grown(Part):
    """What is joined to places by light, colour and texture that hardly change on the way."""

    kind: Literal["grown"] = "grown"
    seeds: Annotated[list[Seed], Field(min_length=1, max_length=MOST_SEEDS)]
    reach: float = dial(50.0, "%", 0, 100, 0.5, "Reach", "How much light and colour may change on the way.")

    @model_validator(mode="after")
    def _grows(self) -> "Grown":
        if all(seed.outside for seed in self.seeds):
            raise ValueError("a region grows from one place at least")
        return self

    def share(self, scenery: Scenery) -> np.ndarray:
        return scenery.sampled(scenery.grown(self))

    def of(self, ways: list[np.ndarray]) -> np.ndarray:
        """What of a picture belongs to it, float32 (h, w), of the distances from each seed, float32 (h, w) in EV."""
        away = [way for way, seed in zip(ways, self.seeds) if seed.outside]
        inside = np.min(self._within(ways, None if not away else np.min(away, 0)), 0)
        farthest = _NEAREST * (_FARTHEST / _NEAREST) ** (self.reach / 100)
        share = eased((farthest * (1 + _FADES) - inside) / (farthest * 2 * _FADES))
        if away:
            share = share * (inside < np.min(away, 0))
        return _filled(np.asarray(share, np.float32))

    def _within(self, ways: list[np.ndarray], away: np.ndarray | None) -> list[np.ndarray]:
        """Ways of seeds that the region grows from: of those that are not sure, the ones that lie well apart."""
        own = [(seed, way) for way, seed in zip(ways, self.seeds) if not seed.outside]
        if away is None:
            return [way for _, way in own]
        apart = [float(away[np.unravel_index(int(way.argmin()), way.shape)]) for _, way in own]
        least = _APART * max(apart)
        return [way for (seed, way), far in zip(own, apart) if seed.sure or far >= least]


def _filled(share: np.ndarray) -> np.ndarray:
    """A mask whose small holes are filled."""
    count, names, stats, _ = cv2.connectedComponentsWithStats((share < 0.5).astype(np.uint8), connectivity=4)
    small = np.flatnonzero(stats[:, cv2.CC_STAT_AREA] < _HOLE * share.size)
    small = small[small > 0]
    if count > 1 and small.size:
        share = np.where(np.isin(names, small), np.float32(1), share)
    return share
