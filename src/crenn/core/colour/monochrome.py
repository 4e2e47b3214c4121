"""Monochrome: a picture without colours, with weights by the hue that there was."""

from typing import Any

import numpy as np
from pydantic import create_model

from crenn.core.colorimetry.circle import BLUE, CYAN, GREEN, ORANGE, PURPLE, RED, YELLOW, parts
from crenn.core.colour.step import ColourStep
from crenn.core.colour.trust import hue_trusted
from crenn.core.pipeline.colours import Colours
from crenn.core.pipeline.step import Bend, StepParameters, dial

#: The hues that have weights, round the circle.
WEIGHTS = {
    "red": RED,
    "orange": ORANGE,
    "yellow": YELLOW,
    "green": GREEN,
    "cyan": CYAN,
    "blue": BLUE,
    "purple": PURPLE,
}


def _dials() -> dict[str, Any]:
    dials: dict[str, Any] = {
        "amount": (
            float,
            dial(
                0.0,
                "%",
                0,
                100,
                1,
                "Monochrome",
                "Takes the colours out of the picture.",
                bend=Bend("add", -100, 100, 1),
            ),
        )
    }
    for name in WEIGHTS:
        help = f"How bright what was {name} is in a monochrome picture."
        dials[name] = float, dial(0.0, "EV", -2, 2, 0.05, name.capitalize(), help, bend=Bend("add", -2, 2, 0.05))
    return dials


MonochromeParameters: Any = create_model("MonochromeParameters", __base__=StepParameters, **_dials())


class Monochrome(ColourStep[StepParameters]):
    """Takes chroma away, and brightens or darkens by hue as far as it is taken."""

    name, title, parameters, by = "monochrome", "Monochrome", MonochromeParameters, "scene"
    folded = True

    def change(self, parameters, scene, cleaned):
        amount = parameters.amount / 100
        weights = [getattr(parameters, name) for name in WEIGHTS]
        if not amount:
            return None

        def change(colours: Colours) -> Colours:
            trust = hue_trusted(scene, colours.stop, colours.saturation, cleaned)
            shares = parts(colours.hue, tuple(WEIGHTS.values()))
            brighter = sum((weight * share for weight, share in zip(weights, shares)), np.zeros_like(trust))
            return colours.scaled(1.0 - amount).brightened(amount * trust * brighter)

        return change
