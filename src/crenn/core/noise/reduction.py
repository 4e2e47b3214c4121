"""Noise reduction: mixes what was split off a scene out of its light."""

from collections.abc import Mapping

import numpy as np

from crenn.core.noise.mixing import Strengths, mixed
from crenn.core.pipeline.planes import NoiseMix, PlaneContext
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial, toggle

#: Grain that may stay where lift counts: deviations in L* of the picture, of luminance and of colour.
GRAIN, BLOTCHES = 0.3, 0.1
#: Energy of colour noise that may stay, relative to that of luminance.
COLOUR_LEFT = (BLOTCHES / GRAIN) ** 2


class NoiseParameters(StepParameters):
    colour: float = dial(
        1.0,
        "×",
        0.0,
        2.0,
        0.01,
        "Colour",
        "How much of the blotches of colour is taken out, in multiples of the noise that there is.",
        bend=Bend("factor", 0.0, 2.0, 0.01),
    )
    luminance: float = dial(
        1.0,
        "×",
        0.0,
        2.0,
        0.01,
        "Luminance",
        "How much of the grain is taken out, in multiples of the noise that there is.",
        bend=Bend("factor", 0.0, 2.0, 0.01),
    )
    fine: float = dial(
        100,
        "%",
        0,
        100,
        1,
        "Fine",
        "Share that is taken of noise from pixel to pixel.",
        usual=False,
    )
    medium: float = dial(
        100,
        "%",
        0,
        100,
        1,
        "Medium",
        "Share that is taken of noise a few pixels wide.",
        usual=False,
    )
    coarse: float = dial(
        100,
        "%",
        0,
        100,
        1,
        "Coarse",
        "Share that is taken of wide blotches, as high sensitivities have.",
        usual=False,
    )
    detail: float = dial(
        0,
        "%",
        0,
        100,
        1,
        "Keep texture",
        "Leaves grain in stone, leaves and cloth, where it is not seen as noise, so that their texture stays whole.",
    )
    lifted: bool = toggle(
        True,
        "By lift",
        "Places that are lifted are cleaned fully; places that stay dark, or show little noise, keep their grain.",
    )
    stars: bool = toggle(True, "Leave stars alone", "Stars stay as they are, with their colours.")

    @property
    def takes(self) -> bool:
        """Whether anything is taken out of the whole picture."""
        return bool((self.luminance or self.colour) and (self.fine or self.medium or self.coarse))

    @property
    def strengths(self) -> Strengths:
        """What is taken out, before lift counts."""
        return Strengths(
            self.luminance,
            self.colour,
            self.fine / 100,
            self.medium / 100,
            self.coarse / 100,
            self.detail / 100,
            self.stars,
        )


class NoiseReduction(LightStep[NoiseParameters]):
    """Takes noise out of the light, before anything else happens to it."""

    name, station, title, parameters = "noise", "noise", "Noise", NoiseParameters

    def act(self, program: Program, parameters: NoiseParameters, scene: SceneLight) -> None:
        strengths = parameters.strengths
        if not parameters.takes:
            return

        def make(layers: np.ndarray, light: np.ndarray | None, around: PlaneContext) -> np.ndarray:
            return mixed(layers, light, strengths, around)

        program.clean(
            NoiseMix("noise", (strengths,), strengths.reach, make), parameters.lifted and scene.noise_known, COLOUR_LEFT
        )

    def bend(
        self, program: Program, bends: Mapping[str, float], parameters: NoiseParameters, scene: SceneLight
    ) -> None:
        before = parameters.strengths
        after = Strengths(
            min(before.luminance * bends.get("luminance", 1.0), 2.0),
            min(before.colour * bends.get("colour", 1.0), 2.0),
            *(before.fine, before.medium, before.coarse, before.detail, before.stars),
        )
        if after == before:
            return

        def make(layers: np.ndarray, light: np.ndarray | None, around: PlaneContext) -> np.ndarray:
            return mixed(layers, light, after, around) - mixed(layers, light, before, around)

        mix = NoiseMix("noise.bent", (before, after), max(before.reach, after.reach), make)
        program.clean(mix, parameters.lifted and scene.noise_known, COLOUR_LEFT)
