"""Parts of ink by family of colour, as printers set them: cyan, magenta, yellow and black."""

from typing import Any

import numpy as np
from pydantic import create_model

from crenn.core.colorimetry.circle import BLUE, CYAN, GREEN, MAGENTA, RED, YELLOW, by_stop, parts
from crenn.core.colour.step import ColourStep
from crenn.core.colour.trust import believed
from crenn.core.pipeline.colours import Colours
from crenn.core.pipeline.step import Bend, StepParameters, dial

#: Families by the key of their dials; those that have a hue go round the circle.
FAMILIES = {
    "red": "Reds",
    "yellow": "Yellows",
    "green": "Greens",
    "cyan": "Cyans",
    "blue": "Blues",
    "magenta": "Magentas",
    "white": "Whites",
    "neutral": "Neutrals",
    "black": "Blacks",
}
_HUES = (RED, YELLOW, GREEN, CYAN, BLUE, MAGENTA)
INKS = {"cyan": "red light", "magenta": "green light", "yellow": "blue light", "black": "all light"}
#: Saturation by which a colour is half of a family that has a hue.
_COLOURED = 0.05
#: Tones, in EV below the picture's white, on which colours count as black, as neither, and as white.
_TONES = (-7.5, -5.5, -2.0, -0.4)


def _dials() -> dict[str, Any]:
    bend = Bend("add", -1, 1, 0.01)
    return {
        f"{family}_{ink}": (
            float,
            dial(
                0.0,
                "EV",
                -1,
                1,
                0.01,
                ink.capitalize(),
                f"{ink.capitalize()} in the {title.lower()}: how much {light} it takes away.",
                bend=bend,
                group=title,
            ),
        )
        for family, title in FAMILIES.items()
        for ink, light in INKS.items()
    }


InksParameters: Any = create_model("InksParameters", __base__=StepParameters, **_dials())


def families(colours: Colours) -> list[np.ndarray]:
    """How far colours belong to each of `FAMILIES`, in their order, 0 to 1, float64; they add up to 1."""
    coloured = believed(colours.saturation, _COLOURED)
    black, dark, light, white = by_stop(colours.stop, _TONES)
    middle = dark + light
    return [*(middle * coloured * share for share in parts(colours.hue, _HUES)), white, middle * (1 - coloured), black]


class Inks(ColourStep[StepParameters]):
    """Takes light away as inks do. Cyan, magenta and yellow change the colour, and black alone the lightness."""

    name, title, parameters, by = "inks", "By family", InksParameters, "picture"
    folded = True

    def change(self, parameters, scene, cleaned):
        values = {name: value for name, value in parameters if name != "on" and value}
        if not values:
            return None

        def change(colours: Colours) -> Colours:
            shares = dict(zip(FAMILIES, families(colours)))
            taken = {ink: np.zeros_like(colours.a) for ink in INKS}
            for name, value in values.items():
                family, _, ink = name.partition("_")
                taken[ink] += value * shares[family]
            return colours.gained(-taken["cyan"], -taken["magenta"], -taken["yellow"]).brightened(-taken["black"])

        return change
