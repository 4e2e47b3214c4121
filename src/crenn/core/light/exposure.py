"""Exposure: more or less light, by stops."""

from collections.abc import Mapping

from crenn.core.light.automatic import automatic_light
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
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

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        return {"ev": automatic_light(scene).exposure}

    def act(self, program: Program, parameters: ExposureParameters, scene: SceneLight) -> None:
        assert parameters.ev is not None, "it is resolved"
        program.gain(parameters.ev)

    def bend(
        self, program: Program, bends: Mapping[str, float], parameters: ExposureParameters, scene: SceneLight
    ) -> None:
        program.gain(bends["ev"])
