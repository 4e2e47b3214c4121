"""Exposure: more or less light, by stops."""

import numpy as np

from crenn.core.steps import PixelProgram, Step, StepParameters, dial


class ExposureParameters(StepParameters):
    ev: float | None = dial(
        None, "EV", -12, 12, 0.05, "Exposure", "Brightens or darkens the whole picture.", group="Tone"
    )


def fold(program: PixelProgram, parameters: ExposureParameters, scene) -> None:
    ev = scene.automatic.exposure if parameters.ev is None else parameters.ev
    if ev:
        program.matrix = np.exp2(ev) * program.matrix


EXPOSURE = Step("exposure", "light", "Exposure", ExposureParameters, fold)
