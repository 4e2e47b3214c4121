"""Exposure: more or less light, by stops."""

from crenn.core.light.automatic import automatic_light
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial


class ExposureParameters(StepParameters):
    ev: float | None = dial(
        None,
        "EV",
        -12,
        12,
        0.05,
        "Exposure",
        "Brightens or darkens the whole picture.",
        bend=Bend("add", -6, 6, 0.05),
    )


class Exposure(LightStep[ExposureParameters]):
    """A factor on light. In an area, placed light is dodged or burned by it."""

    name, station, title, parameters = "exposure", "light", "Exposure", ExposureParameters

    def automatic(self, scene):
        return {"ev": automatic_light(scene).exposure}

    def act(self, program, parameters, scene):
        program.gain(parameters.ev)

    def bend(self, program, bends, parameters, scene):
        program.gain(bends["ev"])
