"""The steps of the treatment: all that the page needs to build the panels of their stations."""

from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from crenn.api.schemas import BendOut, ChoiceOut, DialOut, StepOut, ToggleOut, WhereOut
from crenn.core.areas.area import PARTS, Area
from crenn.core.areas.brush import BrushStroke
from crenn.core.mend.patch import MendLayer, Patch
from crenn.core.pipeline.step import Bend, Stage, Step
from crenn.core.treatment import STEPS

router = APIRouter(prefix="/api", tags=["steps"])


def _parameter(
    step: Step[Any], name: str, model: type[BaseModel] | None = None
) -> DialOut | ChoiceOut | ToggleOut | None:
    """A parameter of a step, or of an item of its lists, as the page draws it; None if a widget of its own does."""
    info = (model or step.parameters).model_fields[name]
    extra = info.json_schema_extra
    if not isinstance(extra, dict) or extra.get("kind") not in ("dial", "choice", "toggle"):
        return None
    about: dict[str, Any] = {
        "step": step.name,
        "name": name,
        "title": info.title,
        "help": info.description,
        "default": info.default,
        "usual": extra.get("usual", True),
    }
    if extra["kind"] == "choice":
        return ChoiceOut(names=extra["names"], **about)
    if extra["kind"] == "toggle":
        return ToggleOut(**about)
    return _dial(about, extra, step.bend_of(f"any.{name}" if model else name))


def _dial(about: dict[str, Any], extra: Mapping[str, Any], bend: Bend | None = None) -> DialOut:
    """A dial, by what its field states of itself."""
    return DialOut(
        unit=extra["unit"],
        low=extra["low"],
        high=extra["high"],
        increment=extra["step"],
        shows=extra.get("shows"),
        scale=extra.get("scale", "linear"),
        bend=BendOut(**vars(bend)) if bend else None,
        group=extra.get("group"),
        where=WhereOut(choice=extra["where"][0], values=list(extra["where"][1])) if "where" in extra else None,
        turns=extra.get("turns", False),
        **about,
    )


def _dials_of(model: type[BaseModel]) -> list[DialOut]:
    """The dials of what areas are made of."""
    out = []
    for name, info in model.model_fields.items():
        extra = info.json_schema_extra
        if isinstance(extra, dict) and extra.get("kind") == "dial":
            about = {"step": "areas", "name": name, "title": info.title, "help": info.description}
            out.append(_dial(about | {"default": info.default}, extra))
    return out


def _dials(step: Step[Any], model: type[BaseModel]) -> list[DialOut]:
    """The dials of an item of a step's lists."""
    found = (_parameter(step, name, model) for name in model.model_fields)
    return [dial for dial in found if isinstance(dial, DialOut)]


class AreaKindsOut(BaseModel):
    """What areas and mends are made of: the dials of each."""

    area: list[DialOut]
    stroke: list[DialOut]
    parts: dict[str, list[DialOut]] = Field(description="by the kind of part")
    patch: list[DialOut] = Field(description="of a mend")
    layer: list[DialOut] = Field(description="of a layer of mends")


@router.get("/areas/kinds")
def area_kinds() -> AreaKindsOut:
    """The dials of areas, of their parts, of strokes of the brush, and of mends."""
    kinds = {model.model_fields["kind"].default: _dials_of(model) for model in PARTS}
    return AreaKindsOut(
        area=_dials_of(Area),
        stroke=_dials_of(BrushStroke),
        parts=kinds,
        patch=_dials_of(Patch),
        layer=_dials_of(MendLayer),
    )


@router.get("/steps")
def steps() -> list[StepOut]:
    """All steps of the treatment, in the order in which their stations show them."""
    stations = list(dict.fromkeys(step.station for step in STEPS))
    shown = sorted(STEPS, key=lambda step: (stations.index(step.station), not step.leads))
    return [
        StepOut(
            name=step.name,
            station=step.station,
            title=step.title,
            folded=step.folded,
            left_out=step.stage == Stage.LIGHT,
            defaults=step.parameters().model_dump(mode="json"),
            parameters=[p for name in step.parameters.model_fields if (p := _parameter(step, name)) is not None],
            items={field: _dials(step, model) for field, model in step.items.items()},
        )
        for step in shown
    ]
