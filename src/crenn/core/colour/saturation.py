"""Saturation and vibrance: how much colour there is."""

import numpy as np

from crenn.core.colorimetry.circle import arc
from crenn.core.colour.step import ColourStep
from crenn.core.colour.trust import trusted
from crenn.core.pipeline.colours import Colours
from crenn.core.pipeline.step import Bend, StepParameters, dial

#: Saturation at which vibrance does half of what it does to the dullest.
_DULL = 0.12
#: Hue of skin under any light that is taken for white, how wide it is, and how far vibrance is held there.
_SKIN, _SKIN_WIDTH, _SKIN_SOFT, _HELD = 52.0, 24.0, 22.0, 0.65


class SaturationParameters(StepParameters):
    saturation: float = dial(
        1.0,
        "×",
        0.0,
        3.0,
        0.01,
        "Saturation",
        "How far all colours are from grey; hue and lightness stay.",
        bend=Bend("factor", 0.0, 3.0, 0.01),
    )
    vibrance: float = dial(
        0.0,
        "%",
        -100,
        100,
        1,
        "Vibrance",
        "Dull colours first: strong ones and skin are held.",
        bend=Bend("add", -100, 100, 1),
    )
    hue: float = dial(
        0.0,
        "°",
        -60,
        60,
        0.5,
        "Hue",
        "Turns all hues.",
        bend=Bend("add", -60, 60, 0.5),
        usual=False,
    )
    protect: float = dial(
        100,
        "%",
        0,
        100,
        1,
        "Spare noise",
        "Holds a rise back in the dark, as far as colour is noise there.",
        bend=Bend("add", -100, 100, 1),
        usual=False,
    )


def vibrant(colours: Colours, share: float) -> np.ndarray:
    """Factor on saturation by which vibrance of a share, −1 to 1, raises or lowers colours."""
    skin = arc(colours.hue, _SKIN, _SKIN_WIDTH, _SKIN_SOFT)
    dull = 1.0 / (1.0 + (colours.saturation / _DULL) ** 2)
    return 1.0 + share * dull * (1.0 - _HELD * skin)


class Saturation(ColourStep[SaturationParameters]):
    """Scales and turns colours round grey, in Oklab."""

    name, title, parameters, by = "saturation", "Amount", SaturationParameters, "scene"
    leads = True

    def change(self, parameters, scene, cleaned):
        p = parameters
        if (p.saturation, p.vibrance, p.hue) == (1.0, 0.0, 0.0):
            return None

        def change(colours: Colours) -> Colours:
            factor = p.saturation * vibrant(colours, p.vibrance / 100)
            let = 1.0 - p.protect / 100 * (1.0 - trusted(scene, colours.stop, cleaned))
            return colours.scaled(np.where(factor > 1, 1 + (factor - 1) * let, factor)).turned(p.hue)

        return change
