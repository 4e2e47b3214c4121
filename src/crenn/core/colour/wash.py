"""A wash of one colour, laid over what has any: what a lamp's light, or a painter's glaze, does to a place."""

import numpy as np

from crenn.core.colour.step import ColourStep
from crenn.core.pipeline.colours import Colours, Recolour
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, StepParameters, dial

#: Saturation that a wash of 100 % tends to.
_DEEP = 0.16


class WashParameters(StepParameters):
    amount: float = dial(
        0, "%", 0, 100, 1, "Amount", "How far colours go over into the wash.", bend=Bend("add", 0, 100, 1)
    )
    hue: float = dial(
        70.0, "°", 0, 360, 1, "Hue", "Of the wash, on the circle of hues.", bend=Bend("add", -180, 180, 1), turns=True
    )


class Wash(ColourStep[WashParameters]):
    """Brings all colours nearer to one, in Oklab; lightness stays."""

    name, title, parameters, by = "wash", "Wash", WashParameters, "picture"
    folded = True

    def change(self, parameters: WashParameters, scene: SceneLight, cleaned: bool) -> Recolour | None:
        share = parameters.amount / 100
        if not share:
            return None
        angle = np.radians(parameters.hue)
        a, b = _DEEP * np.cos(angle), _DEEP * np.sin(angle)

        def change(colours: Colours) -> Colours:
            return colours.moved(share * (a - colours.a), share * (b - colours.b))

        return change
