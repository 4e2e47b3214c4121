"""What a step of the treatment is: its parameters, its automatic values, and how it acts.

A step is one class in one file and never touches a pixel. One of the frame says how the picture lies over the scene;
one of light writes instructions into a `crenn.core.pipeline.program.Program`, for the picture and once more for each
area that bends one of its dials.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import IntEnum
from typing import Any, ClassVar, Generic, Literal, Self, TypeVar

from pydantic import BaseModel, ConfigDict, Field

from crenn.core.basis import PlaceMap
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight


class Stage(IntEnum):
    """Where a step acts, in order."""

    #: How the picture plane lies over the scene plane.
    FRAME = 0
    #: Scene-linear light.
    LIGHT = 1
    #: The picture's light, by what lies around each place.
    FINISH = 2
    #: From light to what a screen shows; left out of scene-linear masters.
    DISPLAY = 3


class StepParameters(BaseModel):
    """Parameters of one step. ``on`` false leaves the step out, in areas too."""

    model_config = ConfigDict(
        extra="forbid", validate_default=True, allow_inf_nan=False, json_schema_serialization_defaults_required=True
    )
    on: bool = Field(True, description="Whether the step takes part.")

    def moved(self, by: PlaceMap) -> Self:
        """The parameters with their places where a map of places takes them."""
        return self


P = TypeVar("P", bound=StepParameters)
I = TypeVar("I", bound="Item")


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
        ``shows``, the view shown while it is held; ``scale`` "reciprocal" for a dial that is even in its reciprocal;
        ``usual`` False for one that is folded away; ``turns`` where its high end is its low one, as of an angle;
        ``where``, a choice of the step and the values of it with which it does something;
        ``group``, the name of the few that it is shown with where a step has many.
    """
    about = {"kind": "dial", "unit": unit, "step": step, "low": low, "high": high, **extra}
    if bend is not None:
        about["bend"] = vars(bend)
    return Field(default, ge=low, le=high, title=title, description=help, json_schema_extra=about)


class Item(BaseModel):
    """One of a list that a step has: its dials are told, and bent, by its name."""

    model_config = ConfigDict(
        extra="forbid", validate_default=True, allow_inf_nan=False, json_schema_serialization_defaults_required=True
    )
    name: str = Field(min_length=1, max_length=40, pattern=r"^[^\x00-\x1f\x7f.]+$", description="Told apart by it.")
    on: bool = Field(True, description="Whether it takes part.")


def listed(most: int, help: str) -> Any:
    """A parameter that is a list of `Item`."""
    return Field(default_factory=list, max_length=most, description=help, json_schema_extra={"kind": "list"})


def named_apart(items: list[I]) -> list[I]:
    """The items of a list, if no two have the same name; a `ValueError` if they do."""
    names = [item.name for item in items]
    for name in names:
        if names.count(name) > 1:
            raise ValueError(f"two are called “{name}”: give each a name of its own")
    return items


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


def about_parameter(model: type[BaseModel], name: str) -> dict[str, Any]:
    """What a parameter states of itself besides its type; nothing if there is none of the name."""
    info = model.model_fields.get(name)
    extra = info.json_schema_extra if info else None
    return extra if isinstance(extra, dict) else {}


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
    leads : bool
        Whether it stands at the head of its station's panel, before those that act earlier.
    items : dict of str to type
        By the parameter that is a list of them, what they are.
    """

    name: ClassVar[str]
    station: ClassVar[str]
    title: ClassVar[str]
    stage: ClassVar[Stage]
    parameters: type[P]
    folded: ClassVar[bool] = False
    leads: ClassVar[bool] = False
    items: ClassVar[Mapping[str, type[Item]]] = {}

    def bend_of(self, name: str) -> Bend | None:
        """How areas may bend a dial, or an item's (“Range 1.shift”); None if they may not, or there is none."""
        item, _, dial = name.rpartition(".")
        for model in self.items.values() if item else (self.parameters,):
            bend: Any = about_parameter(model, dial).get("bend")
            if bend is not None:
                return Bend(**bend)
        return None

    def bent(self, parameters: P, bends: Mapping[str, float]) -> P:
        """The parameters as an area's bends have them, held within what dials can be."""
        update: dict[str, Any] = {}
        for name, by in bends.items():
            if "." not in name:
                update[name] = self._bent(parameters, name, name, by)
        for field in self.items:
            items: list[Item] = getattr(parameters, field)
            moved: dict[str, dict[str, float]] = {item.name: {} for item in items}
            for name, by in bends.items():
                own, _, dial = name.rpartition(".")
                for item in items:
                    if item.name == own:
                        moved[own][dial] = self._bent(item, dial, name, by)
            update[field] = [item.model_copy(update=moved[item.name]) for item in items]
        return parameters.model_copy(update=update)

    def _bent(self, of: BaseModel, dial: str, name: str, by: float) -> float:
        bend, about, value = self.bend_of(name), about_parameter(type(of), dial), getattr(of, dial)
        if bend is None or bend.kind == "mired":
            raise ValueError(f"“{name}” is not bent by itself")
        value = value * by if bend.kind == "factor" else value + by
        if about.get("turns"):
            return float(value % about["high"])
        return float(min(max(value, about["low"]), about["high"]))

    def belongs(self, scene: SceneLight) -> bool:
        """Whether a scene has what the step acts by."""
        return True

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

    def frame(self, frame: PictureGeometry, parameters: P, scene: SceneLight) -> PictureGeometry:
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
