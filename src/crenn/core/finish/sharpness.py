"""Sharpness for viewing: what is fine stands out, off what is smooth, off noise and off stars."""

from typing import Literal

import cv2
import numpy as np

from crenn.core.colorimetry.stops import stops_of
from crenn.core.finish.line import FinishStep, LineParameters
from crenn.core.finish.pixelwise import brightened
from crenn.core.pipeline.effects import Amount, Effect, Surroundings
from crenn.core.pipeline.step import Bend, choice, dial

#: Luminance below which nothing is told apart.
_LEAST = 2.0**-20
#: A view shows a radius of less than this, in its pixels, not at all, and of the second fully.
_UNSEEN, _SEEN = 0.2, 0.45
#: Detail that counts half as an edge at 50 %, in EV, with so many deviations of the noise.
_EDGE, _NOISE = 0.02, 1.0
#: Halos of this many EV at most, at 0 and at 100 % of them.
_HALOS = (0.12, 1.6)
#: What outshines its surroundings by more EV than this, and is as small as this in radii, is a point of light.
_POINT, _SMALL = 0.9, 2.5
#: Radii there may be, in pixels.
_RADII = 0.4, 12.0
#: Deviation of what an eye just tells apart, of a minute of arc.
_EYE = np.radians(0.75 / 60)
#: By how much wider and stronger for what a medium blurs: inks spread, on matt paper more than on glossy.
_MEDIA = {"radius": (1.0, 1.0), "screen": (1.0, 1.0), "gloss": (1.15, 1.2), "matt": (1.4, 1.5)}


class SharpnessParameters(LineParameters):
    amount: float = dial(
        0.0,
        "%",
        0,
        200,
        1,
        "Sharpness",
        "How far what is fine stands out.",
        bend=Bend("add", -200, 200, 1),
        shows="sharp",
    )
    radius: float = dial(
        1.0,
        "px",
        0.4,
        6,
        0.1,
        "Radius",
        "How wide what stands out is, in pixels of the full picture.",
        shows="sharp",
        where=("made_for", ["radius"]),
    )
    made_for: Literal["radius", "screen", "gloss", "matt"] = choice(
        "radius",
        "Made for",
        "A radius by hand, or what the eye can just tell on a medium from a distance: the same at any size.",
        {"radius": "A radius", "screen": "Screen", "gloss": "Glossy print", "matt": "Matt print"},
    )
    distance: float = dial(
        1.0,
        "diagonals",
        0.3,
        5,
        0.1,
        "Seen from",
        "Distance of the eye, in diagonals of the picture.",
        shows="sharp",
        where=("made_for", ["screen", "gloss", "matt"]),
    )
    halo: float = dial(
        25.0, "%", 0, 100, 1, "Halo", "How far edges may overshoot: less keeps halos down, and fine detail up."
    )
    smooth: float = dial(
        50.0,
        "%",
        0,
        100,
        1,
        "Off smooth",
        "How far it stays off smooth places and off noise.",
        usual=False,
        shows="sharp",
    )


def fine_detail(light: np.ndarray, sigma: float) -> np.ndarray:
    """By how many EV luminance departs from its surroundings, float32 (h, w); ``sigma`` in pixels of the light."""
    stops = stops_of(light, _LEAST)
    return np.asarray(stops - cv2.GaussianBlur(stops, (0, 0), sigma), np.float32)


def edge_share(detail: np.ndarray, light: np.ndarray, noise: np.ndarray, sigma: float, smooth: float) -> np.ndarray:
    """How far each place is sharpened, 0 to 1, float32 (h, w): edges and texture are; smooth places, noise and points
    of light are not.

    Parameters
    ----------
    detail : ndarray, float32 (h, w)
        Of `fine_detail`.
    light : ndarray, float32 (h, w, 3)
    noise : ndarray, float32 (h, w)
        Deviation of the luminance, in EV.
    sigma : float
        Radius in pixels of the light.
    smooth : float
        How far it stays off what is smooth, 0 to 1.
    """
    energy = cv2.GaussianBlur(detail * detail, (0, 0), 2.5 * sigma)
    least = 2 * smooth * (np.float32(_EDGE) + np.float32(_NOISE) * noise)
    # What noise gives is off: a place of noise alone is smooth.
    share = np.clip(energy - (2 * smooth * noise) ** 2, 0, None) / (energy + least * least + np.float32(1e-12))
    side = 2 * int(np.ceil(_SMALL * sigma)) + 1
    stops = stops_of(light, _LEAST)
    opened = cv2.morphologyEx(stops, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
    point = cv2.dilate(np.clip((stops - opened) / np.float32(_POINT) - 0.5, 0, 1), np.ones((3, 3), np.uint8))
    return np.asarray(share * (1 - point), np.float32)


def _shown(sigma: float) -> float:
    """How far a view can show a radius, 0 to 1."""
    return float(np.clip((sigma - _UNSEEN) / (_SEEN - _UNSEEN), 0, 1))


def radius_of(parameters: SharpnessParameters, size: tuple[int, int]) -> float:
    """The radius in pixels of the full picture, of size (H, W)."""
    if parameters.made_for == "radius":
        return parameters.radius
    told = parameters.distance * float(np.hypot(*size)) * _EYE * _MEDIA[parameters.made_for][0]
    return float(np.clip(told, *_RADII))


def share_of(light: np.ndarray, parameters: SharpnessParameters, around: Surroundings) -> np.ndarray:
    """`edge_share` in a window; nothing where it shows too few pixels."""
    sigma = radius_of(parameters, around.size) * around.scale
    if not _shown(sigma):
        return np.zeros(light.shape[:2], np.float32)
    return edge_share(fine_detail(light, sigma), light, around.noise(), sigma, parameters.smooth / 100)


class Sharpness(FinishStep[SharpnessParameters]):
    """An unsharp mask of luminance in stops whose halos are held (Polesel, Ramponi and Mathews 2000, "Image enhancement
    via adaptive unsharp masking": less where it is smooth, and where edges are strong)."""

    name, title, parameters, amount = "sharpness", "Sharpness for viewing", SharpnessParameters, "amount"

    def effect(self, parameters: SharpnessParameters) -> Effect:
        limit = np.float32(np.interp(parameters.halo, (0, 100), _HALOS))

        def apply(light: np.ndarray, amount: Amount, around: Surroundings) -> np.ndarray:
            sigma = radius_of(parameters, around.size) * around.scale
            if not (shown := _shown(sigma)):
                return light

            def raised() -> np.ndarray:
                detail = fine_detail(light, sigma)
                share = edge_share(detail, light, around.noise(), sigma, parameters.smooth / 100)
                return np.asarray(np.float32(shown) * share * detail)

            own = amount[..., 0] if isinstance(amount, np.ndarray) else np.float32(amount)
            own = own * np.float32(_MEDIA[parameters.made_for][1])
            added = own * around.kept((sigma, parameters.smooth), raised)
            held = added / (1 + np.abs(added) / limit)
            return brightened(light, held)

        def reach(long_side: int) -> float:
            # A picture is at most as high as wide, or the other way round.
            return 15 * radius_of(parameters, (long_side, long_side)) + 6

        return Effect(
            self.name,
            apply,
            reach,
            parameters.way,
            parameters.opacity / 100,
            high=4.0,
        )


SHARPNESS = Sharpness()
