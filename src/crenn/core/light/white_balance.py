"""White balance: which light counts as white."""

import numpy as np
from pydantic import ValidationError

from crenn.core.colour.spaces import D65_XY, REC2020_TO_XYZ, adaptation_matrix, xy_to_xyz
from crenn.core.colour.white import balance_matrix, temperature_of, white_xy
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

#: Light of other temperatures is taken for this, in kelvin.
_TEMPERATURES = (1667.0, 25000.0)


class WhiteBalanceParameters(StepParameters):
    temperature: float | None = dial(
        None,
        "K",
        1800,
        20000,
        10,
        "Temperature",
        "Colour of the light taken for white. Higher makes the picture warmer.",
        bend=Bend("mired", -200, 200, 1),
        scale="reciprocal",
    )
    tint: float | None = dial(
        None,
        "‰ Duv",
        -60,
        60,
        0.5,
        "Tint",
        "Away from the black-body line: higher makes the picture more magenta.",
        bend=Bend("add", -40, 40, 0.5),
    )


def white_of_patch(mean_rgb, as_shot: tuple[float, float]) -> tuple[float, float]:
    """The (temperature, tint) that makes a patch neutral.

    Parameters
    ----------
    mean_rgb : array_like (3,)
        Mean of the patch in the radiance map, scene-linear Rec. 2020.
    as_shot : tuple of float

    Raises
    ------
    ValueError
        If the patch is black or so coloured that no white light explains it.
    """
    mean_rgb = np.asarray(mean_rgb, np.float64)
    if not (mean_rgb > 0).all():
        raise ValueError("This patch is too dark or too strongly coloured to be neutral. Pick a grey or white place.")
    d65, shot = xy_to_xyz(*D65_XY), xy_to_xyz(*white_xy(*as_shot))
    xyz = adaptation_matrix(d65, shot) @ REC2020_TO_XYZ @ mean_rgb
    temperature, tint = temperature_of(*(xyz[:2] / xyz.sum()))
    try:
        WhiteBalanceParameters(temperature=temperature, tint=tint)
    except ValidationError:
        raise ValueError("No white light has this colour. Pick a grey or white place.") from None
    return temperature, tint


class WhiteBalance(LightStep[WhiteBalanceParameters]):
    """Adaptation from the white as shot to the chosen one; automatic is as shot."""

    name, station, title, parameters = "white_balance", "light", "White balance", WhiteBalanceParameters

    def automatic(self, scene):
        return dict(zip(("temperature", "tint"), scene.as_shot))

    def act(self, program, parameters, scene):
        chosen = (parameters.temperature, parameters.tint)
        if chosen != scene.as_shot:
            program.matrix(balance_matrix(chosen, scene.as_shot))

    def bend(self, program, bends, parameters, scene):
        # Warmer by so many mired is the same step to the eye at every temperature.
        mired = 1e6 / parameters.temperature - bends.get("temperature", 0.0)
        temperature = float(np.clip(1e6 / max(mired, 1.0), *_TEMPERATURES))
        bent = (temperature, parameters.tint + bends.get("tint", 0.0))
        program.matrix(balance_matrix(bent, (parameters.temperature, parameters.tint)))
