"""Areas: what lies within them, colours picked for them, and areas kept by name."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from crenn.api.context import Settings, settings
from crenn.api.scenes import on_renderer
from crenn.api.schemas import Body, LightIn, PatchIn, PathId, Words
from crenn.core.area_presets import adapted, read_areas, sides_of
from crenn.core.areas.area import Area
from crenn.core.areas.part import Id as AreaId
from crenn.core.areas.part import Place
from crenn.core.areas.ranges import Pick
from crenn.core.render.area_stats import holding, outline, sample_colour, stops_within
from crenn.core.render.renderer import Renderer
from crenn.core.treatment import parse_treatment
from crenn.store.area_presets import forget_preset, keep_preset, presets

router = APIRouter(prefix="/api", tags=["areas"])


class OutlineOut(BaseModel):
    """An area in few words."""

    lines: list[list[float]] = Field(
        description="closed lines along which its mask is half: x and y of places by turns, shares of the longer side"
    )
    share: float = Field(description="of the scene, that is within")


class WithinIn(LightIn):
    """A treatment, and the area whose stops are asked for."""

    area: AreaId | None = None


class WithinOut(BaseModel):
    """What lies within areas."""

    outlines: list[OutlineOut] = Field(description="of every area of the treatment")
    stops: list[float] | None = Field(description="share of the scene within the area, per bin of its histogram")


class AtIn(LightIn):
    """A treatment, and a place of its scene."""

    place: Place


class AtOut(BaseModel):
    """Areas at a place."""

    areas: list[AreaId] = Field(description="ids of those that hold it by half or more, the topmost first")


class AreasIn(Body):
    """A document of areas, as copied or kept."""

    document: dict[str, Any]


class AreasOut(BaseModel):
    """Areas with their places in a scene."""

    areas: list[Area]


class PresetOut(BaseModel):
    """Areas kept by a name; ``own`` tells whether the library keeps them, or they ship."""

    name: str
    document: dict[str, Any]
    own: bool


class PresetsOut(BaseModel):
    presets: list[PresetOut]


class PresetIn(AreasIn):
    """Areas, and the name that they are kept by."""

    name: Words = Field(min_length=1, max_length=60)


class PresetName(Body):
    """The name of a preset."""

    name: Words = Field(min_length=1, max_length=60)


@router.post("/scenes/{scene_id}/areas/within")
def areas_within(scene_id: PathId, body: WithinIn, request: Request) -> WithinOut:
    """The outlines of all areas of a treatment, and the stops within one."""
    treatment = parse_treatment(body.document)

    def work(renderer: Renderer) -> WithinOut:
        scene = renderer.source(treatment)
        outlines = [outline(renderer, scene, area) for area in treatment.areas]
        stops = None
        if (area := treatment.area(body.area)) is not None:
            stops = stops_within(renderer, scene, area).round(7).tolist()
        lines = [[line.round(4).ravel().tolist() for line in one.lines] for one in outlines]
        return WithinOut(
            outlines=[OutlineOut(lines=own, share=round(one.share, 5)) for own, one in zip(lines, outlines)],
            stops=stops,
        )

    return on_renderer(request, scene_id, work)


@router.post("/scenes/{scene_id}/areas/at")
def areas_at(scene_id: PathId, body: AtIn, request: Request) -> AtOut:
    """Which areas of a treatment hold a place."""
    treatment = parse_treatment(body.document)
    areas = [area for area in treatment.areas if area.on]

    def work(renderer: Renderer) -> AtOut:
        found = holding(renderer, renderer.source(treatment), areas, (body.place[0], body.place[1]))
        return AtOut(areas=[area.id for area in reversed(found)])

    return on_renderer(request, scene_id, work)


@router.post("/scenes/{scene_id}/areas/pick")
def areas_pick(scene_id: PathId, body: PatchIn, request: Request) -> Pick:
    """What a patch of the scene looks like before any dial, for a range of colours."""
    a, b, stop = on_renderer(request, scene_id, lambda renderer: sample_colour(renderer, body.place, body.radius))
    return Pick(a=round(a, 4), b=round(b, 4), stop=round(stop, 2))


@router.post("/scenes/{scene_id}/areas/put")
def areas_put(scene_id: PathId, body: AreasIn, request: Request) -> AreasOut:
    """Areas that were copied or kept, checked, with their places where they belong in this scene; nothing is stored."""
    document = read_areas(body.document)

    def work(renderer: Renderer) -> AreasOut:
        height, width = renderer.scene.size
        return AreasOut(areas=adapted(document, sides_of(width, height)))

    return on_renderer(request, scene_id, work)


def _all(config: Settings, change=None) -> PresetsOut:
    """All presets, once something has been changed."""
    with config.database.session() as session:
        if change is not None:
            change(session)
        found = presets(session)
        session.commit()
    return PresetsOut(presets=[PresetOut(name=n, document=d.model_dump(mode="json"), own=own) for n, d, own in found])


@router.get("/areas/presets")
def area_presets(config: Settings = Depends(settings)) -> PresetsOut:
    """Areas kept by name, and those that ship."""
    return _all(config)


@router.put("/areas/presets")
def keep_area_preset(body: PresetIn, config: Settings = Depends(settings)) -> PresetsOut:
    """Keep areas by a name, in place of what was kept by it."""
    document = read_areas(body.document)
    return _all(config, lambda session: keep_preset(session, body.name, document))


@router.post("/areas/presets/forget")
def forget_area_preset(body: PresetName, config: Settings = Depends(settings)) -> PresetsOut:
    """Forget a preset of the library's own."""
    return _all(config, lambda session: forget_preset(session, body.name))
