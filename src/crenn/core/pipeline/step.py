"""What a step of the treatment is: its parameters, its automatic values, and how it acts.

A step is one class in one file and never touches a pixel. One of the frame says how the picture lies over the scene;
one of light writes instructions into a `crenn.core.pipeline.program.Program`, for the picture and once more for each
area that bends one of its dials.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import IntEnum
from typing import Any, ClassVar, Generic, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field

from crenn.core.pipeline.frame import Frame
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight


class Stage(IntEnum):
    """Where a step acts, in order."""

    #: How the picture plane lies over the scene plane.
    FRAME = 0
    #: Scene-linear light.
    LIGHT = 1
    #: From light to what a screen shows; left out of scene-linear masters.
    DISPLAY = 2


class StepParameters(BaseModel):
    """Parameters of one step. ``on`` false leaves the step out, in areas too."""

    model_config = ConfigDict(
        extra="forbid", validate_default=True, allow_inf_nan=False, json_schema_serialization_defaults_required=True
    )
    on: bool = Field(True, description="Whether the step takes part.")


P = TypeVar("P", bound=StepParameters)


@dataclass(frozen=True)
class Bend:
    """How far areas may bend a dial: by an ``add``-ed amount, a ``factor``, or ``mired`` of colour temperature."""

    kind: Literal["add", "factor", "mired"]
    low: float
    high: float
    increment: float

    @property
    def neutral(self) -> float:
        """The value that bends nothing."""
        return 1.0 if self.kind == "factor" else 0.0


def dial(
    default: float | None,
    unit: str,
    low: float,
    high: float,
    step: float,
    title: str,
    help: str,
    bend: Bend | None = None,
    **extra: Any,
) -> Any:
    """A parameter shown as a dial.

    Parameters
    ----------
    default : float or None
        None means automatic: the step's `Step.automatic` says.
    unit : str
    low, high, step : float
    title, help : str
    bend : Bend, optional
        How areas may bend it; they may not if None.
    **extra
        ``shows``, the view shown while it is held; ``scale`` "reciprocal" for a dial that is even in its reciprocal.
    """
    about = {"kind": "dial", "unit": unit, "step": step, "low": low, "high": high, **extra}
    if bend is not None:
        about["bend"] = vars(bend)
    return Field(default, ge=low, le=high, title=title, description=help, json_schema_extra=about)


def number(default: float | None, unit: str, low: float, high: float, title: str, help: str) -> Any:
    """A parameter that is typed, in a widget of the step's own; None means automatic."""
    about: dict[str, Any] = {"kind": "number", "unit": unit, "low": low, "high": high}
    return Field(default, ge=low, le=high, title=title, description=help, json_schema_extra=about)


def choice(default: str, title: str, help: str, names: Mapping[str, str], **extra: Any) -> Any:
    """A parameter that is one of several: a ``Literal`` of the keys of ``names``, which tell what each is called."""
    return Field(
        default, title=title, description=help, json_schema_extra={"kind": "choice", "names": dict(names), **extra}
    )


def toggle(default: bool, title: str, help: str, **extra: Any) -> Any:
    """A parameter that is on or off."""
    return Field(default, title=title, description=help, json_schema_extra={"kind": "toggle", **extra})


class Step(Generic[P]):
    """One step: its place in the treatment and its parameters.

    Attributes
    ----------
    name : str
        Key in the treatment document.
    station : str
        Station whose panel shows it.
    title : str
    stage : Stage
    parameters : type
        A `StepParameters` class.
    folded : bool
        Whether its dials are folded away at first.
    """

    name: ClassVar[str]
    station: ClassVar[str]
    title: ClassVar[str]
    stage: ClassVar[Stage]
    parameters: type[P]
    folded: ClassVar[bool] = False

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        """What parameters that are None come to in a scene."""
        return {}

    def resolved(self, parameters: P, scene: SceneLight) -> P:
        """The parameters with automatic values filled in; those that a scene says nothing of stay None."""
        open_ones = [name for name, value in parameters if value is None]
        if not open_ones:
            return parameters
        found = self.automatic(scene)
        return parameters.model_copy(update={name: found[name] for name in open_ones if name in found})


class FrameStep(Step[P]):
    """A step that changes how the picture plane lies over the scene plane, and nothing else."""

    stage = Stage.FRAME

    def frame(self, frame: Frame, parameters: P, scene: SceneLight) -> Frame:
        """The frame after this step. At neutral settings it is ``frame`` itself.

        ``parameters`` are `resolved`.
        """
        raise NotImplementedError


class LightStep(Step[P]):
    """A step that acts on light, by instructions."""

    stage = Stage.LIGHT

    def act(self, program: Program, parameters: P, scene: SceneLight) -> None:
        """Write what the step does to the whole picture; nothing at neutral settings.

        ``parameters`` are `resolved`.
        """
        raise NotImplementedError

    def bend(self, program: Program, bends: Mapping[str, float], parameters: P, scene: SceneLight) -> None:
        """Write what an area's bends of this step's dials do on top of `act`; the program is under the area's mask.

        ``bends`` holds the dials that the area bends, relative to ``parameters`` (see `Bend`).
        """
        raise NotImplementedError


def bend_of(step: Step, name: str) -> Bend | None:
    """How areas may bend a parameter of a step; None if they may not, or there is none of this name."""
    info = step.parameters.model_fields.get(name)
    extra = info.json_schema_extra if info else None
    return Bend(**extra["bend"]) if isinstance(extra, dict) and isinstance(extra.get("bend"), dict) else None
