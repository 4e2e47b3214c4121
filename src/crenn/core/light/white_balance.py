"""White balance: which light counts as white."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from crenn.core.colorimetry.spaces import D65_XY, REC2020_TO_XYZ, adaptation_matrix, luminance, xy_to_xyz
from crenn.core.colorimetry.white import COLDEST, WARMEST, balance_matrix, temperature_of, white_xy
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial, number

#: What can be chosen, in kelvin and thousandths of Duv.
TEMPERATURES, TINTS = (1800.0, 20000.0), (-60.0, 60.0)
#: EV by which red and blue can be moved beside the white: light beyond red needs as much.
BEYOND = 8.0
#: EV below which a colour counts as white.
_WHITE = 0.004


class WhiteBalanceParameters(StepParameters):
    temperature: float | None = dial(
        None,
        "K",
        *TEMPERATURES,
        10,
        "Temperature",
        "Colour of the light taken for white. Higher makes the picture warmer.",
        bend=Bend("mired", -200, 200, 1),
        scale="reciprocal",
    )
    tint: float | None = dial(
        None,
        "‰ Duv",
        *TINTS,
        0.5,
        "Tint",
        "Away from the black-body line: higher makes the picture more magenta.",
        bend=Bend("add", -40, 40, 0.5),
    )
    red: float = number(
        0.0, "EV", -BEYOND, BEYOND, "Red beyond", "Gain of red beside the white, where no white light has the colour."
    )
    blue: float = number(
        0.0, "EV", -BEYOND, BEYOND, "Blue beyond", "Gain of blue beside the white, where no white light has the colour."
    )
    second_temperature: float | None = number(
        None, "K", *TEMPERATURES, "Second temperature", "Colour of another light of the scene; none if there is one."
    )
    second_tint: float = number(0.0, "‰ Duv", *TINTS, "Second tint", "Tint of the other light.")
    between: float = number(
        50.0, "%", 0, 100, "Between", "How far the white lies from the first light towards the second, if there is one."
    )


@dataclass(frozen=True)
class White:
    """A white: of light, and what is beyond all white light.

    Attributes
    ----------
    temperature, tint : float
        Kelvin, thousandths of Duv; within `TEMPERATURES` and `TINTS`.
    red, blue : float
        EV beside it.
    short : float
        EV by which either still falls short.
    """

    temperature: float
    tint: float
    red: float = 0.0
    blue: float = 0.0
    short: float = 0.0


def white_of_patch(mean_rgb, as_shot: tuple[float, float]) -> White:
    """The white that makes a patch neutral: the nearest there is, and gains of red and blue for what is beyond it.

    Parameters
    ----------
    mean_rgb : array_like (3,)
        Mean of the patch in the radiance map, scene-linear Rec. 2020.
    as_shot : tuple of float

    Raises
    ------
    ValueError
        If the patch is black, or has nothing of a colour.
    """
    mean_rgb = np.asarray(mean_rgb, np.float64)
    if not (mean_rgb > 0).all():
        raise ValueError("This patch is too dark or too strongly coloured to be neutral. Pick a grey or white place.")
    d65, shot = xy_to_xyz(*D65_XY), xy_to_xyz(*white_xy(*as_shot))
    xyz = adaptation_matrix(d65, shot) @ REC2020_TO_XYZ @ mean_rgb
    temperature, tint = _told_apart(xyz)
    balanced = balance_matrix((temperature, tint), as_shot) @ mean_rgb
    if not (balanced > 0).all():
        # So far from white that its balance has no such colour: gains alone.
        (temperature, tint), balanced = as_shot, mean_rgb
    beyond = np.log2(balanced[1] / balanced[[0, 2]])
    if np.abs(beyond).max() < _WHITE:
        return White(temperature, tint)
    red, blue = (float(v) for v in np.clip(beyond, -BEYOND, BEYOND))
    return White(temperature, tint, red, blue, float(np.abs(beyond - (red, blue)).max()))


def _told_apart(xyz: np.ndarray) -> tuple[float, float]:
    """The nearest white that can be chosen; (temperature, tint)."""
    if not (xyz > 0).all():
        return TEMPERATURES[0], 0.0
    temperature, tint = temperature_of(*(xyz[:2] / xyz.sum()))
    return float(np.clip(temperature, *TEMPERATURES)), float(np.clip(tint, *TINTS))


def gains(red: float, blue: float) -> np.ndarray:
    """Matrix of Rec. 2020 by which red and blue are moved by EV and the luminance of white stays, float64 (3, 3)."""
    factors = np.exp2([red, 0.0, blue])
    return np.diag(factors / float(luminance(factors)))


def _white(parameters: WhiteBalanceParameters) -> tuple[float, float]:
    """The white that resolved parameters come to: between two lights, in even steps to the eye, where there are two."""
    temperature, tint = parameters.temperature, parameters.tint
    assert temperature is not None
    assert tint is not None
    if parameters.second_temperature is None or not parameters.between:
        return temperature, tint
    share = parameters.between / 100
    mired = (1 - share) * 1e6 / temperature + share * 1e6 / parameters.second_temperature
    return 1e6 / mired, (1 - share) * tint + share * parameters.second_tint


class WhiteBalance(LightStep[WhiteBalanceParameters]):
    """Adaptation from the white as shot to the chosen one; automatic is as shot."""

    name, station, title, parameters = "white_balance", "light", "White balance", WhiteBalanceParameters

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        return dict(zip(("temperature", "tint"), scene.as_shot))

    def act(self, program: Program, parameters: WhiteBalanceParameters, scene: SceneLight) -> None:
        chosen = _white(parameters)
        if chosen != scene.as_shot:
            program.matrix(balance_matrix(chosen, scene.as_shot))
        if parameters.red or parameters.blue:
            program.matrix(gains(parameters.red, parameters.blue))

    def bend(
        self, program: Program, bends: Mapping[str, float], parameters: WhiteBalanceParameters, scene: SceneLight
    ) -> None:
        # Warmer by so many mired is the same step to the eye at every temperature.
        temperature, tint = _white(parameters)
        mired = np.clip(1e6 / temperature - bends.get("temperature", 0.0), 1e6 / COLDEST, 1e6 / WARMEST)
        bent = float(1e6 / mired), tint + bends.get("tint", 0.0)
        program.matrix(balance_matrix(bent, (temperature, tint)))
