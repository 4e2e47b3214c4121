"""White balance: which light counts as white."""

from collections.abc import Mapping

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.colorimetry.white import COLDEST, WARMEST, balance_matrix
from crenn.core.light.two_lights import balance_planes, even_planes, share_plane
from crenn.core.light.white_patch import BEYOND, TEMPERATURES, TINTS
from crenn.core.pipeline.planes import Plane
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial, number


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
    own: float = number(
        0.0, "%", 0, 100, "Each its own", "How far each place is balanced for that of the two lights which it has."
    )


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

    def share(self, parameters: WhiteBalanceParameters, scene: SceneLight) -> Plane | None:
        """A plane of how far each place has the colder of two lights; None if there is one light."""
        p = self.resolved(parameters, scene)
        if not p.on or p.temperature is None or p.tint is None or p.second_temperature is None:
            return None
        lights = sorted([(p.temperature, p.tint), (p.second_temperature, p.second_tint)])
        return share_plane(lights[0], lights[1], scene.as_shot)

    def act(self, program: Program, parameters: WhiteBalanceParameters, scene: SceneLight) -> None:
        chosen = _white(parameters)
        if parameters.second_temperature is not None and parameters.own:
            assert parameters.temperature is not None
            assert parameters.tint is not None
            first = parameters.temperature, parameters.tint
            second = parameters.second_temperature, parameters.second_tint
            for planes in (
                balance_planes(first, second, scene.as_shot),
                even_planes(first, chosen, scene.as_shot),
            ):
                program.tint(planes, parameters.own / 100)
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
