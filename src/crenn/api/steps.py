"""The steps of the treatment: all that the page needs to build the panels of their stations."""

from typing import Any

from fastapi import APIRouter

from crenn.api.schemas import BendOut, ChoiceOut, DialOut, StepOut, ToggleOut
from crenn.core.pipeline.step import Step
from crenn.core.treatment import STEPS

router = APIRouter(prefix="/api", tags=["steps"])


def _parameter(step: Step[Any], name: str) -> DialOut | ChoiceOut | ToggleOut | None:
    """A parameter as the page draws it; None if it is drawn by a widget of its own."""
    info = step.parameters.model_fields[name]
    extra = info.json_schema_extra
    if not isinstance(extra, dict) or extra.get("kind") not in ("dial", "choice", "toggle"):
        return None
    about: dict[str, Any] = {
        "step": step.name,
        "name": name,
        "title": info.title,
        "help": info.description,
        "default": info.default,
    }
    if extra["kind"] == "choice":
        return ChoiceOut(names=extra["names"], **about)
    if extra["kind"] == "toggle":
        return ToggleOut(**about)
    bend = step.bend_of(name)
    return DialOut(
        unit=extra["unit"],
        low=extra["low"],
        high=extra["high"],
        increment=extra["step"],
        shows=extra.get("shows"),
        scale=extra.get("scale", "linear"),
        bend=BendOut(**vars(bend)) if bend else None,
        **about,
    )


@router.get("/steps")
def steps() -> list[StepOut]:
    """All steps of the treatment, in the order in which their stations show them."""
    return [
        StepOut(
            name=step.name,
            station=step.station,
            title=step.title,
            folded=step.folded,
            defaults=step.parameters().model_dump(mode="json"),
            parameters=[p for name in step.parameters.model_fields if (p := _parameter(step, name)) is not None],
        )
        for step in STEPS
    ]
