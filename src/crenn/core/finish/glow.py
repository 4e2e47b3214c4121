"""Glow: bright light spills over what is around it, as in a lens, an eye or moist air."""

from typing import Literal

import cv2
import numpy as np

from crenn.core.finish.line import FinishStep, LineParameters
from crenn.core.finish.pixelwise import added, coloured, spilling
from crenn.core.pipeline.effects import Amount, Effect, Surroundings, near_reach
from crenn.core.pipeline.step import Bend, choice, dial

#: The spread is a sum of Gaussians, as that of an eye is (Spencer, Shirley, Zimmerman and Greenberg 1995,
#: "Physically-based glare effects for digital images"): deviations in sizes, and shares without the wide part and with
#: all of it.
_WIDTHS = (0.25, 1.0, 4.0)
_SHARES = ((0.7, 0.3, 0.0), (0.25, 0.35, 0.4))
#: Stops over which light begins to spill.
KNEE = 1.0


class GlowParameters(LineParameters):
    amount: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Glow",
        "Share of the bright light that spills over; what is spread is taken from where it came.",
        bend=Bend("add", -100, 100, 1),
    )
    size: float = dial(0.6, "%", 0.05, 5, 0.05, "Size", "Of the core, in % of the picture's longer side.")
    wide: float = dial(40.0, "%", 0, 100, 1, "Wide part", "How much of it is spread far.")
    threshold: float = dial(
        0.0, "EV", -6, 6, 0.1, "Threshold", "Light that spills, in EV above where the picture turns white."
    )
    colour: float = dial(
        100.0, "%", 0, 200, 1, "Colour of the glow", "From grey over the lamp's own colour to twice as strong."
    )
    where: Literal["lamps", "everywhere"] = choice(
        "everywhere",
        "Spills",
        "Round the lamps that were found, or wherever light is bright enough.",
        {"everywhere": "All bright light", "lamps": "Lamps"},
        usual=False,
    )


class Glow(FinishStep[GlowParameters]):
    """Light above the threshold, spread by a sum of Gaussians; its energy is kept."""

    name, title, parameters, amount = "glow", "Glow", GlowParameters, "amount"

    def effect(self, parameters: GlowParameters) -> Effect:
        mix = parameters.wide / 100
        shares = [(1 - mix) * a + mix * b for a, b in zip(*_SHARES)]

        def apply(light: np.ndarray, amount: Amount, around: Surroundings) -> np.ndarray:
            threshold = around.white + parameters.threshold
            unit = parameters.size / 100 * max(around.size)

            def bright(of: np.ndarray, there: Surroundings) -> np.ndarray:
                found = spilling(of, 2.0 ** (threshold - KNEE))
                return found * there.found("lamps")[..., None] if parameters.where == "lamps" else found

            depends = parameters.size, parameters.wide, parameters.threshold, parameters.colour, parameters.where

            def moved() -> np.ndarray:
                parts = [(share, width * unit) for share, width in zip(shares, _WIDTHS) if share > 0]
                spread = around.spread(depends, bright, light, parts)
                if parameters.colour != 100:
                    spread = coloured(spread, parameters.colour / 100)
                return added(spread, -1.0, bright(light, around))

            return added(light, amount, around.kept(depends, moved))

        def reach(long_side: int) -> float:
            return near_reach([width * parameters.size / 100 * long_side for width in _WIDTHS], long_side)

        return Effect(self.name, apply, reach, parameters.way, parameters.opacity / 100)


class SoftParameters(LineParameters):
    amount: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Soft focus",
        "Lays a soft picture over the sharp one.",
        bend=Bend("add", -100, 100, 1),
    )
    size: float = dial(0.5, "%", 0.05, 4, 0.05, "Softness", "In % of the picture's longer side.")
    detail: float = dial(60.0, "%", 0, 100, 1, "Kept detail", "How much of what is fine stays as it was.")


class Soft(FinishStep[SoftParameters]):
    """The picture blurred in light, as by a softening filter, with what is fine kept."""

    name, title, parameters, amount = "soft", "Soft focus", SoftParameters, "amount"
    folded = True

    def effect(self, parameters: SoftParameters) -> Effect:
        def apply(light: np.ndarray, amount: Amount, around: Surroundings) -> np.ndarray:
            sigma = parameters.size / 100 * max(around.size)

            def softened() -> np.ndarray:
                soft = around.spread((parameters.size,), lambda of, _: of, light, [(1.0, sigma)])
                fine = sigma / 4 * around.scale
                if fine >= 0.3:
                    share = parameters.detail / 100
                    soft = added(added(soft, share, light), -share, cv2.GaussianBlur(light, (0, 0), fine))
                return added(np.maximum(soft, 0, out=soft), -1.0, light)

            return added(light, amount, around.kept((parameters.size, parameters.detail), softened))

        def reach(long_side: int) -> float:
            sigma = parameters.size / 100 * long_side
            return max(near_reach([sigma], long_side), sigma + 2)

        return Effect(self.name, apply, reach, parameters.way, parameters.opacity / 100)


GLOW, SOFT = Glow(), Soft()
