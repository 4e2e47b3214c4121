"""Single hues: ranges of the circle of hues that take a change of hue, saturation and lightness."""

from collections.abc import Sequence
from typing import Annotated

import numpy as np
from pydantic import AfterValidator

from crenn.core.colorimetry.circle import BLUE, CYAN, GREEN, ORANGE, RED, YELLOW, arc, eased
from crenn.core.colour.step import ColourStep
from crenn.core.colour.trust import hue_trusted
from crenn.core.pipeline.colours import Colours
from crenn.core.pipeline.step import Bend, Item, StepParameters, dial, listed, named_apart

#: There are at most so many ranges.
MOST_RANGES = 24
#: Saturation, in %, over which a range fades at its dull end, and in proportion at its pure one.
_DULL_SOFT, _PURE_SOFT = 0.5, 0.5


class HueRange(Item):
    """A range of hues; narrower than a few degrees it would show its border."""

    shift: float = dial(
        0.0, "°", -60, 60, 0.5, "Hue", "Turns its hues along the circle.", bend=Bend("add", -60, 60, 0.5)
    )
    saturation: float = dial(
        1.0,
        "×",
        0.0,
        3.0,
        0.01,
        "Saturation",
        "How far its colours are from grey.",
        bend=Bend("factor", 0.0, 3.0, 0.01),
    )
    lightness: float = dial(
        0.0, "EV", -2, 2, 0.05, "Lightness", "Brightens or darkens its colours.", bend=Bend("add", -2, 2, 0.05)
    )
    hue: float = dial(0.0, "°", 0, 360, 0.5, "Middle", "Where on the circle of hues the range lies.", turns=True)
    width: float = dial(30.0, "°", 5, 300, 1, "Width", "How much of the circle it takes fully.", shows="range")
    soft: float = dial(30.0, "°", 20, 120, 1, "Softness", "Over how much it fades at either end.", shows="range")
    least: float = dial(
        0.0, "%", 0, 60, 0.5, "Leave duller", "Colours that are less saturated are left alone.", shows="range"
    )
    most: float = dial(
        120.0, "%", 2, 120, 0.5, "Leave purer", "Colours that are more saturated are left alone.", shows="range"
    )

    @property
    def neutral(self) -> bool:
        """Whether it changes nothing."""
        return not self.on or (self.shift, self.saturation, self.lightness) == (0.0, 1.0, 0.0)


#: Hues of the usual ranges between blue and red, which lie far apart.
_REDDISH = 300.0, 340.0

Ranges = Annotated[list[HueRange], AfterValidator(named_apart)]


class HuesParameters(StepParameters):
    ranges: Ranges = listed(MOST_RANGES, "Ranges of hues, and what becomes of their colours.")


def usual_ranges() -> list[HueRange]:
    """Eight ranges that go round the whole circle."""
    named = zip(
        ("Red", "Orange", "Yellow", "Green", "Cyan", "Blue", "Purple", "Magenta"),
        (RED, ORANGE, YELLOW, GREEN, CYAN, BLUE, *_REDDISH),
        (12, 10, 12, 20, 24, 30, 16, 20),
        (40, 36, 36, 34, 40, 34, 30, 38),
    )
    return [HueRange(name=name, hue=hue, width=width, soft=soft) for name, hue, width, soft in named]


def belonging(one: HueRange, hue: np.ndarray, saturation: np.ndarray) -> np.ndarray:
    """How far colours belong to a range, 0 to 1, like them."""
    share = arc(hue, one.hue, one.width, one.soft)
    percent = 100.0 * saturation
    if one.least > 0:
        share = share * eased((percent / one.least - 1 + _DULL_SOFT) / _DULL_SOFT)
    if one.most < 120:
        share = share * eased((1 + _PURE_SOFT - percent / one.most) / _PURE_SOFT)
    return share


def changed(ranges: Sequence[HueRange], colours: Colours, trust: np.ndarray) -> Colours:
    """Colours with the changes of ranges added up, each as far as they belong to it and their hue is trusted."""
    turn, factor, ev = np.zeros_like(trust), np.ones_like(trust), np.zeros_like(trust)
    for one in ranges:
        share = trust * belonging(one, colours.hue, colours.saturation)
        turn += share * one.shift
        factor += share * (one.saturation - 1.0)
        ev += share * one.lightness
    return colours.turned(turn).scaled(np.maximum(factor, 0.0)).brightened(ev)


class Hues(ColourStep[HuesParameters]):
    """Moves the hues, the saturation and the lightness of ranges."""

    name, title, parameters, by = "hues", "Hues", HuesParameters, "scene"
    leads = True
    items = {"ranges": HueRange}

    def change(self, parameters, scene, cleaned):
        ranges = [one for one in parameters.ranges if not one.neutral]
        if not ranges:
            return None
        return lambda colours: changed(ranges, colours, hue_trusted(scene, colours.stop, colours.saturation, cleaned))
