"""What all lines of Finish have in common: an opacity, and a way to act."""

from collections.abc import Mapping
from typing import ClassVar, Generic, Literal, TypeVar

from crenn.core.pipeline.effects import Effect
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import LightStep, Stage, StepParameters, choice, dial


class LineParameters(StepParameters):
    opacity: float = dial(100.0, "%", 0, 100, 1, "Opacity", "How far it shows over what was there.", usual=False)
    way: Literal["light", "lightness", "colour"] = choice(
        "light",
        "Acts on",
        "All of the light, or its lightness or colour alone.",
        {"light": "Light", "lightness": "Lightness", "colour": "Colour"},
        usual=False,
    )


L = TypeVar("L", bound=LineParameters)


class FinishStep(LightStep[L], Generic[L]):
    """A step of Finish: one effect, whose amount areas bend."""

    station, stage = "finish", Stage.FINISH
    #: The dial that tells how much of it there is, and what it is divided by.
    amount: ClassVar[str]
    per: ClassVar[float] = 100.0

    def effect(self, parameters: L) -> Effect:
        """The effect, without amounts."""
        raise NotImplementedError

    def act(self, program: Program, parameters: L, scene: SceneLight) -> None:
        program.finish(self.effect(parameters), getattr(parameters, self.amount) / self.per)

    def bend(self, program: Program, bends: Mapping[str, float], parameters: L, scene: SceneLight) -> None:
        now = getattr(parameters, self.amount)
        bent = getattr(self.bent(parameters, bends), self.amount)
        program.finish(self.effect(parameters), (bent - now) / self.per)
