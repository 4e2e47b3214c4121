"""White balance: which light counts as white."""

import numpy as np
from pydantic import ValidationError

from crenn.core.colour.spaces import D65_XY, REC2020_TO_XYZ, adaptation_matrix, xy_to_xyz
from crenn.core.colour.white import balance_matrix, temperature_of, white_xy
from crenn.core.steps import PixelProgram, Step, StepParameters, dial


class WhiteBalanceParameters(StepParameters):
    temperature: float | None = dial(
        None,
        "K",
        1800,
        20000,
        10,
        "Temperature",
        "Colour of the light taken for white. Higher makes the picture warmer.",
        scale="reciprocal",
        group="White balance",
    )
    tint: float | None = dial(
        None,
        "‰ Duv",
        -60,
        60,
        0.5,
        "Tint",
        "Away from the black-body line: higher makes the picture more magenta.",
        group="White balance",
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


def fold(program: PixelProgram, parameters: WhiteBalanceParameters, scene) -> None:
    as_shot = scene.as_shot
    chosen = (
        as_shot[0] if parameters.temperature is None else parameters.temperature,
        as_shot[1] if parameters.tint is None else parameters.tint,
    )
    if chosen != as_shot:
        program.matrix = balance_matrix(chosen, as_shot) @ program.matrix


WHITE_BALANCE = Step("white_balance", "light", "White balance", WhiteBalanceParameters, fold)
