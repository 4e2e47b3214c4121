"""Ranges of light and of colour, told by the scene's light before any dial."""

from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from crenn.core.areas.part import Part, Scenery
from crenn.core.areas.surfaces import surfaces
from crenn.core.colour.circle import eased

#: Deviation by which noise is evened out before light is told apart, in full-size pixels.
_BLUR = 1.2
#: Stops of scenes lie between these.
LOWEST, HIGHEST = -32.0, 16.0
#: A colour range has at most so many picks.
MOST_PICKS = 12

Stop = Annotated[float, Field(ge=LOWEST, le=HIGHEST)]


class LightRange(Part):
    """Light between two stops of the scene; half where it begins and ends, beyond which it fades."""

    kind: Literal["light"] = "light"
    low: Stop = Field(LOWEST, description="stop of the scene that it begins at; the lowest takes all that is darker")
    high: Stop = Field(HIGHEST, description="stop of the scene that it ends at; the highest takes all that is brighter")
    soft_low: float = Field(1.0, ge=0.05, le=8, description="EV over which it begins")
    soft_high: float = Field(1.0, ge=0.05, le=8, description="EV over which it ends")

    @model_validator(mode="after")
    def _rises(self) -> "LightRange":
        if self.high - self.low < 0.05:
            raise ValueError("a light range needs to be at least 0.05 EV wide")
        return self

    def share(self, scenery: Scenery) -> np.ndarray:
        stop = surfaces(scenery.light(_BLUR), scenery.floor)[..., 0]
        return self.of(stop)

    def of(self, stops: np.ndarray) -> np.ndarray:
        """Share of light of stops, float32 like them."""
        share = np.ones(stops.shape, np.float32)
        if self.low > LOWEST:
            share *= eased((stops - self.low) / self.soft_low + 0.5)
        if self.high < HIGHEST:
            share *= eased((self.high - stops) / self.soft_high + 0.5)
        return share


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
    width: float = Field(8.0, ge=1, le=60, description="how far from a pick it is half, as chroma in % of lightness")
    soft: float = Field(60.0, ge=5, le=100, description="share of the width over which it fades to either side, in %")
    depth: float | None = Field(
        None, ge=0.1, le=16, description="how far from a pick's light it is half, in EV; any light if null"
    )

    def share(self, scenery: Scenery) -> np.ndarray:
        told = surfaces(scenery.light(_BLUR), scenery.floor)
        return self.of(told)

    def of(self, told: np.ndarray) -> np.ndarray:
        """Share of what `surfaces` tells, (..., 3); float32 (...)."""
        out = np.zeros(told.shape[:-1], np.float32)
        per = 100 / self.width
        for pick in self.picks:
            away = np.hypot((told[..., 1] - pick.a) * per, (told[..., 2] - pick.b) * per)
            if self.depth is not None:
                away = np.hypot(away, (told[..., 0] - pick.stop) / self.depth)
            out = np.maximum(out, eased((1 - away) / (2 * self.soft / 100) + 0.5))
        return out.astype(np.float32)
