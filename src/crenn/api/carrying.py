"""A scene's treatment carried over to others, and one scene brought to another's look."""

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, ConfigDict, Field

from crenn.api.context import Settings, settings
from crenn.api.presets import StepName, about_scene
from crenn.api.scenes import on_renderer, scene_of
from crenn.api.schemas import Id, LightIn, PathId
from crenn.core.carrying import AreasCarried
from crenn.core.errors import CrennError
from crenn.core.render.matching import Look, matched
from crenn.core.treatment import STEPS, Treatment, parse_treatment
from crenn.store.carrying import carry_over
from crenn.store.treatments import change_treatment, current_treatment

router = APIRouter(prefix="/api", tags=["carrying"])


class CarryIn(LightIn):
    """A treatment of the scene, what of it is carried over, and to which scenes."""

    scenes: Annotated[list[Id], Field(min_length=1, max_length=2000)]
    steps: list[StepName] = Field(default_factory=list, max_length=len(STEPS))
    areas: AreasCarried = "found"
    tied: bool = Field(False, description="whether automatic values are the same there, and not those of each scene")


class CarriedOut(BaseModel):
    """A scene, and why nothing was carried to it."""

    title: str
    fault: str | None


class LookIn(BaseModel):
    """The scene whose look another is to have."""

    model_config = ConfigDict(extra="forbid")
    scene: Id
    by_tone: bool = Field(False, description="whether tones of the curve and the balance by tone are moved as well")


class MatchIn(LightIn, LookIn):
    """A treatment of the scene, and the scene whose look it is to have."""


@router.post("/scenes/{scene_id}/carry")
def carry(scene_id: PathId, body: CarryIn, config: Settings = Depends(settings)) -> list[CarriedOut]:
    """Carry steps and areas of a scene over to others: each gets a change that can be undone."""
    treatment = parse_treatment(body.document)
    tied = about_scene(config, scene_id)[0] if body.tied else None
    with config.database.session() as session:
        source = scene_of(session, scene_id)
        found = carry_over(session, source, treatment, body.scenes, body.steps, body.areas, tied)
        session.commit()
    return [CarriedOut(title=title, fault=fault) for title, fault in found]


@router.post("/scenes/{scene_id}/match")
def match(scene_id: PathId, body: MatchIn, request: Request, config: Settings = Depends(settings)) -> Treatment:
    """A treatment with dials that bring the scene to another's look; nothing is stored."""
    return _looking_as(request, config, scene_id, parse_treatment(body.document), body)


@router.post("/scenes/{scene_id}/look")
def take_look(scene_id: PathId, body: LookIn, request: Request, config: Settings = Depends(settings)) -> CarriedOut:
    """Bring a scene, as it stands, to another's look: a change in its history that can be undone."""
    with config.database.session() as session:
        scene, other = scene_of(session, scene_id), scene_of(session, body.scene)
        if not scene.prepared:
            return CarriedOut(title=scene.title, fault="This scene has not been merged yet.")
        treatment, parent, title = current_treatment(session, scene), scene.take.revision_id or 0, other.title
    found = _looking_as(request, config, scene_id, treatment, body)
    with config.database.session() as session:
        change_treatment(session, scene_id, found.model_dump(mode="json"), parent, f"Look of {title}"[:200])
        session.commit()
        return CarriedOut(title=scene_of(session, scene_id).title, fault=None)


def _looking_as(request: Request, config: Settings, scene_id: int, treatment: Treatment, wanted: LookIn) -> Treatment:
    """A treatment of a scene with dials that bring it to another's look."""
    if wanted.scene == scene_id:
        raise CrennError("This is the scene itself.", remedy="Choose another one.")
    with config.database.session() as session:
        other = current_treatment(session, scene_of(session, wanted.scene))
    look = on_renderer(request, wanted.scene, lambda renderer: Look.of(renderer, other))
    automatic, _ = about_scene(config, scene_id)
    return on_renderer(
        request, scene_id, lambda renderer: matched(renderer, treatment, look, automatic, wanted.by_tone)
    )
