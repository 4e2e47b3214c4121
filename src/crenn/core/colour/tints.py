"""Tints by tone: points tied to stops of the picture, each with a hue, an amount and a lightness."""

from itertools import pairwise
from typing import Annotated

import numpy as np
from pydantic import AfterValidator

from crenn.core.colorimetry.circle import by_stop
from crenn.core.colour.step import ColourStep
from crenn.core.colour.trust import believed
from crenn.core.pipeline.colours import Colours
from crenn.core.pipeline.step import Bend, Item, StepParameters, dial, listed, named_apart, toggle

#: Points lie at least so far apart, in EV.
APART = 0.5
MOST_TINTS = 12
#: Saturation at which a tint that spares neutral colours acts by half.
_NEUTRAL = 0.05


class Tint(Item):
    """A tint of the tones about a stop of the picture."""

    stop: float = dial(-3.5, "EV", -12, 2, 0.05, "Stop", "The tone that is tinted, relative to the picture's white.")
    hue: float = dial(
        0.0, "°", 0, 360, 0.5, "Hue", "Which colour it is tinted with.", bend=Bend("add", -180, 180, 0.5), turns=True
    )
    amount: float = dial(0.0, "%", 0, 25, 0.1, "Amount", "How saturated grey becomes.", bend=Bend("add", -25, 25, 0.1))
    lightness: float = dial(
        0.0, "EV", -2, 2, 0.05, "Lightness", "Brightens or darkens these tones.", bend=Bend("add", -2, 2, 0.05)
    )


def _rising(points: list[Tint]) -> list[Tint]:
    points = sorted(named_apart(points), key=lambda p: p.stop)
    for one, other in pairwise(points):
        if other.stop - one.stop < APART - 1e-9:
            raise ValueError(f"“{one.name}” and “{other.name}” tint the same stop: keep them {APART:g} EV apart")
    return points


class TintsParameters(StepParameters):
    points: Annotated[list[Tint], AfterValidator(_rising)] = listed(
        MOST_TINTS,
        "Points by rising stop: between two of them a tint goes over into the other, beyond the last it stays.",
    )
    balance: float = dial(
        0.0,
        "EV",
        -4,
        4,
        0.05,
        "Balance",
        "Where tints change over: up, the darker ones reach higher.",
        bend=Bend("add", -4, 4, 0.05),
        usual=False,
    )
    neutral: bool = toggle(
        False,
        "Keep neutral",
        "Grey stays grey; what has a colour is tinted.",
        usual=False,
    )


def usual_tints() -> list[Tint]:
    """Three points that part a picture into shadows, midtones and highlights; they change nothing yet."""
    named = (("Shadows", -6.5, 250.0), ("Midtones", -3.5, 70.0), ("Highlights", -0.5, 70.0))
    return [Tint(name=name, stop=stop, hue=hue) for name, stop, hue in named]


def tinted(colours: Colours, points: list[Tint], balance: float, neutral: bool) -> Colours:
    """Colours with the tints of their stops."""
    shares = by_stop(colours.stop - balance, tuple(p.stop for p in points))
    a, b, ev = (np.zeros_like(colours.a) for _ in range(3))
    for point, share in zip(points, shares):
        amount, angle = point.amount / 100, np.radians(point.hue)
        a, b = a + share * amount * np.cos(angle), b + share * amount * np.sin(angle)
        ev = ev + share * point.lightness
    spared = believed(colours.saturation, _NEUTRAL) if neutral else 1.0
    return colours.moved(a * spared, b * spared).brightened(ev)


class Tints(ColourStep[TintsParameters]):
    """Moves the colours of tones along a line in Oklab; lightness stays unless a point says otherwise."""

    name, title, parameters, by = "tints", "Tints by tone", TintsParameters, "picture"
    leads = True
    items = {"points": Tint}

    def change(self, parameters, scene, cleaned):
        points = [p for p in parameters.points if p.on]
        if not any(p.amount or p.lightness for p in points):
            return None
        return lambda colours: tinted(colours, points, parameters.balance, parameters.neutral)
