"""Ranges of light and of colour, told by the scene's light before any dial."""

from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from crenn.core.areas.part import Part, Scenery
from crenn.core.colour.circle import eased
from crenn.core.pipeline.step import dial

#: Deviation by which noise is evened out before light is told apart, in full-size pixels.
_BLUR = 1.2
#: Stops of scenes lie between these.
LOWEST, HIGHEST = -32.0, 16.0
#: A colour range has at most so many picks.
MOST_PICKS = 12
#: A depth of so many stops takes any light.
ANY = 16.0

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
        return self.of(scenery.surfaces(_BLUR)[..., 0])

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
    width: float = dial(8.0, "%", 1, 60, 0.5, "Width", "How far from a pick it is half, as chroma in % of lightness.")
    soft: float = dial(60.0, "%", 5, 100, 1, "Softness", "Over how much of the width it fades, to either side.")
    depth: float = dial(
        16.0, "EV", 0.25, 16, 0.25, "Light within", "How far from a pick's light it is half; any light at 16 EV."
    )

    def share(self, scenery: Scenery) -> np.ndarray:
        return self.of(scenery.surfaces(_BLUR))

    def of(self, told: np.ndarray) -> np.ndarray:
        """Share of what `surfaces` tells, (..., 3); float32 (...)."""
        out = np.zeros(told.shape[:-1], np.float32)
        per = 100 / self.width
        for pick in self.picks:
            away = np.hypot((told[..., 1] - pick.a) * per, (told[..., 2] - pick.b) * per)
            if self.depth < ANY:
                away = np.hypot(away, (told[..., 0] - pick.stop) / self.depth)
            out = np.maximum(out, eased((1 - away) / (2 * self.soft / 100) + 0.5))
        return out.astype(np.float32)
