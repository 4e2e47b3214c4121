"""Ranges of light and of colour, told by the scene's light before any dial."""

from typing import Annotated, Literal

import numba as nb
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from crenn.core.areas.part import Part, Scenery
from crenn.core.pipeline.step import dial

#: Deviation by which noise is evened out before light is told apart, in full-size pixels.
_BLUR = 1.2
#: Stops of scenes lie between these.
LOWEST, HIGHEST = -32.0, 16.0
#: A colour range has at most so many picks.
MOST_PICKS = 12
#: A depth of so many stops takes any light.
ANY = 16.0
#: Stops beyond all there are.
_FAR = 1e3

Stop = Annotated[float, Field(ge=LOWEST, le=HIGHEST)]


class LightRange(Part):
    """Light between two stops of the scene; half where it begins and ends, beyond which it fades."""

    kind: Literal["light"] = "light"
    low: Stop = Field(LOWEST, description="stop of the scene that it begins at; the lowest takes all that is darker")
    high: Stop = Field(HIGHEST, description="stop of the scene that it ends at; the highest takes all that is brighter")
    soft_low: float = dial(1.0, "EV", 0.05, 8, 0.05, "Begins over", "Over how many stops it begins.")
    soft_high: float = dial(1.0, "EV", 0.05, 8, 0.05, "Ends over", "Over how many stops it ends.")

    @model_validator(mode="after")
    def _rises(self) -> "LightRange":
        if self.high - self.low < 0.05:
            raise ValueError("a light range needs to be at least 0.05 EV wide")
        return self

    def share(self, scenery: Scenery) -> np.ndarray:
        return self.of(scenery.appearance_features(_BLUR)[..., 0])

    def of(self, stops: np.ndarray) -> np.ndarray:
        """Share of light of stops, float32 like them."""
        out = np.empty(stops.shape, np.float32)
        low, high = self.low if self.low > LOWEST else -_FAR, self.high if self.high < HIGHEST else _FAR
        _between(stops, *map(np.float32, (low, high, 1 / self.soft_low, 1 / self.soft_high)), out)
        return out


class Pick(BaseModel):
    """A colour that was picked: Oklab's opponent axes in proportion to lightness, and the stop of the scene."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    a: float = Field(ge=-2, le=2)
    b: float = Field(ge=-2, le=2)
    stop: Stop


class ColourRange(Part):
    """Colours like those that were picked, of any light or of light like theirs."""

    kind: Literal["colour"] = "colour"
    picks: list[Pick] = Field(min_length=1, max_length=MOST_PICKS)
    width: float = dial(8.0, "%", 1, 60, 0.5, "Width", "How far from a pick it is half, as chroma in % of lightness.")
    soft: float = dial(60.0, "%", 5, 100, 1, "Softness", "Over how much of the width it fades, to either side.")
    depth: float = dial(
        16.0, "EV", 0.25, 16, 0.25, "Light within", "How far from a pick's light it is half; any light at 16 EV."
    )

    def share(self, scenery: Scenery) -> np.ndarray:
        return self.of(scenery.appearance_features(_BLUR))

    def of(self, told: np.ndarray) -> np.ndarray:
        """Share of what `appearance_features` tells, (h, w, 3); float32 (h, w)."""
        out = np.empty(told.shape[:2], np.float32)
        picks = np.array([[pick.stop, pick.a, pick.b] for pick in self.picks], np.float32)
        per_stop = 0.0 if self.depth >= ANY else 1 / self.depth
        _alike(told, picks, *map(np.float32, (per_stop, 100 / self.width, 100 / (2 * self.soft))), out)
        return out


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _eased(t):
    t = min(max(t, np.float32(0)), np.float32(1))
    return t * t * (np.float32(3) - np.float32(2) * t)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _between(stops, low, high, per_low, per_high, out):
    half = np.float32(0.5)
    for y in nb.prange(stops.shape[0]):
        for x in range(stops.shape[1]):
            stop = stops[y, x]
            out[y, x] = _eased((stop - low) * per_low + half) * _eased((high - stop) * per_high + half)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _alike(told, picks, per_stop, per_axis, steep, out):
    """How far colours are like any of some picks, which have stop and opponent axes like them."""
    for y in nb.prange(told.shape[0]):
        for x in range(told.shape[1]):
            nearest = np.float32(1e9)
            for k in range(picks.shape[0]):
                s = (told[y, x, 0] - picks[k, 0]) * per_stop
                a, b = (told[y, x, 1] - picks[k, 1]) * per_axis, (told[y, x, 2] - picks[k, 2]) * per_axis
                nearest = min(nearest, s * s + a * a + b * b)
            out[y, x] = _eased((np.float32(1) - np.sqrt(nearest)) * steep + np.float32(0.5))
