"""Presets: kept, seen on a scene, put on, turned down and taken off."""

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from crenn.api.context import Settings, settings
from crenn.api.history import small_picture
from crenn.api.scenes import on_renderer, scene_of
from crenn.api.schemas import Body, LightIn, PathId
from crenn.core.area_presets import sides_of
from crenn.core.areas.part import Id as AreaId
from crenn.core.areas.part import Id as PresetId
from crenn.core.merge.instructions import Words
from crenn.core.pipeline.scene import SceneLight
from crenn.core.presets import Preset, preset_of, put_on, read_preset, strengthened, taken_off
from crenn.core.treatment import STEPS, Treatment, automatic_values, parse_treatment
from crenn.store.presets import forget_preset, keep_preset, presets

router = APIRouter(prefix="/api", tags=["presets"])
Strength = Annotated[float, Field(ge=0, le=150)]
StepName = Annotated[str, Field(max_length=40)]


class KeptPresetOut(BaseModel):
    """A preset, and whether it is the library's own."""

    own: bool
    preset: Preset


class KeptPresetsOut(BaseModel):
    """All presets: the library's own, then those that ship."""

    presets: list[KeptPresetOut]


class DocumentIn(Body):
    """A document of a preset, as it was exported."""

    document: dict[str, Any]


class PresetNameIn(Body):
    """The name of a preset."""

    name: Words = Field(min_length=1, max_length=60)


class MakePresetIn(LightIn):
    """A treatment, and what of it is to be a preset."""

    name: Words = Field(min_length=1, max_length=60)
    steps: list[StepName] = Field(default_factory=list, max_length=len(STEPS))
    areas: list[AreaId] = Field(default_factory=list, max_length=100)


class PutOnIn(LightIn):
    """A treatment, a preset, and its strength in %."""

    preset: dict[str, Any]
    strength: Strength = 100.0


class StrengthIn(LightIn):
    """A treatment, one of the presets on it, and its strength in %; none takes it off."""

    id: PresetId
    strength: Strength | None = None


def _all(config: Settings, change: Callable[[Session], None] | None = None) -> KeptPresetsOut:
    """All presets, once something has been changed."""
    with config.database.session() as session:
        if change is not None:
            change(session)
            session.commit()
        return KeptPresetsOut(presets=[KeptPresetOut(own=own, preset=preset) for preset, own in presets(session)])


@router.get("/presets")
def kept_presets(config: Settings = Depends(settings)) -> KeptPresetsOut:
    """Presets that were kept, and those that ship."""
    return _all(config)


@router.put("/presets")
def keep(body: DocumentIn, config: Settings = Depends(settings)) -> KeptPresetsOut:
    """Keep a preset, in place of one of its name."""
    preset = read_preset(body.document)
    return _all(config, lambda session: keep_preset(session, preset))


@router.post("/presets/forget")
def forget(body: PresetNameIn, config: Settings = Depends(settings)) -> KeptPresetsOut:
    """Forget a preset of the library's own."""
    return _all(config, lambda session: forget_preset(session, body.name))


def about_scene(config: Settings, scene_id: int) -> tuple[dict[str, float], tuple[float, float]]:
    """What automatic values of a scene come to, and its sides in shares of the longer one."""
    with config.database.session() as session:
        report = scene_of(session, scene_id).report
    if not report:
        return {}, (1.0, 2 / 3)
    values = automatic_values(SceneLight.from_report(report))
    return values, sides_of(report["width"], report["height"])


def _with(config: Settings, scene_id: int, body: PutOnIn) -> Treatment:
    automatic, sides = about_scene(config, scene_id)
    return put_on(parse_treatment(body.document), read_preset(body.preset), body.strength, automatic, sides)


@router.post("/scenes/{scene_id}/presets/make")
def make_preset(scene_id: PathId, body: MakePresetIn, config: Settings = Depends(settings)) -> Preset:
    """A preset of some steps and areas of a treatment; nothing is kept."""
    _, sides = about_scene(config, scene_id)
    return preset_of(parse_treatment(body.document), body.name, body.steps, body.areas, sides)


@router.post("/scenes/{scene_id}/presets/put-on")
def put_preset_on(scene_id: PathId, body: PutOnIn, config: Settings = Depends(settings)) -> Treatment:
    """A treatment with a preset put on; nothing is stored."""
    return _with(config, scene_id, body)


@router.post("/scenes/{scene_id}/presets/strength")
def preset_strength(scene_id: PathId, body: StrengthIn) -> Treatment:
    """A treatment with one of its presets at another strength, or without it; nothing is stored."""
    treatment = parse_treatment(body.document)
    if body.strength is None:
        return taken_off(treatment, body.id)
    return strengthened(treatment, body.id, body.strength)


@router.post(
    "/scenes/{scene_id}/presets/picture",
    response_class=Response,
    responses={200: {"content": {"image/jpeg": {}}}},
)
def preset_picture(scene_id: PathId, body: PutOnIn, request: Request, config: Settings = Depends(settings)) -> Response:
    """A small picture of a scene with a preset put on; nothing is stored."""
    treatment = _with(config, scene_id, body)
    return Response(on_renderer(request, scene_id, lambda r: small_picture(r, treatment, 160)), media_type="image/jpeg")
