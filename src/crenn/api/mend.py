"""Mends of a scene: their outlines, and where what they put in was found."""

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from crenn.api.context import Settings, settings
from crenn.api.scenes import on_renderer
from crenn.api.schemas import Body, LightIn, PathId
from crenn.core.areas.part import Id, Place
from crenn.core.mend.outline import outline_of
from crenn.core.mend.patch import Origin, Patch
from crenn.core.mend.rims import RIMS
from crenn.core.render.dust import dust_patches
from crenn.core.render.fringe_colour import fringe_at
from crenn.core.render.passing import passing_lights
from crenn.core.render.renderer import Renderer
from crenn.core.treatment import parse_treatment
from crenn.store.mends import on_sensor, spread_layer
from crenn.store.models import Scene

router = APIRouter(prefix="/api", tags=["mend"])
#: So many other scenes tell dust with one.
_WITH = 6


class PatchOut(BaseModel):
    """A patch that acts, as it was solved."""

    id: str
    layer: str
    lines: list[list[float]] = Field(description="x and y of places of its outline, in shares of the longer side")
    origin: Origin | None = Field(description="where it was copied from; null if from many places, or none")
    frame: str | None = Field(description="key of the frame that it shows; null if it shows the scene")
    mended: bool = Field(description="whether there was anything to copy from")


class MendOut(BaseModel):
    """All patches that act."""

    patches: list[PatchOut]


class DustIn(LightIn):
    """A treatment: what it has mended already is not found again."""


class DustOut(BaseModel):
    """Spots that are likely dust, the clearest first, as patches for them."""

    patches: list[Patch]


@router.post("/scenes/{scene_id}/mend/dust")
def dust(scene_id: PathId, body: DustIn, request: Request, config: Settings = Depends(settings)) -> DustOut:
    """Small soft shadows in even places, as patches that would mend them; nothing is stored.

    Scenes of the same shoot and camera tell with: what lies on the sensor is there in all of them.
    """
    treatment = parse_treatment(body.document)
    with config.database.session() as session:
        scene = session.get(Scene, scene_id)
        nearest = [] if scene is None else on_sensor(scene)[:_WITH]
        told = [(other.prepared, by) for other, by in nearest if other.prepared]

    def work(renderer: Renderer) -> DustOut:
        others = [(config.library.open_scene(prepared), by) for prepared, by in told]
        return DustOut(patches=dust_patches(renderer.source(treatment), others))

    return on_renderer(request, scene_id, work)


class PassingIn(LightIn):
    """A treatment: what it has mended already is not found again."""


class PassingOut(BaseModel):
    """Trails in the sky, the clearest first, as patches for them."""

    lights: list[Patch] = Field(description="of satellites and aircraft")
    meteors: list[Patch]


@router.post("/scenes/{scene_id}/mend/passing")
def passing(scene_id: PathId, body: PassingIn, request: Request) -> PassingOut:
    """Trails of passing lights in a sky of stars, as patches that would mend them; nothing is stored."""
    treatment = parse_treatment(body.document)

    def work(renderer: Renderer) -> PassingOut:
        found = passing_lights(renderer, treatment)
        lights, meteors = ([patch for patch, trail in found if trail.meteor == one] for one in (False, True))
        return PassingOut(lights=lights, meteors=meteors)

    return on_renderer(request, scene_id, work)


@router.post("/scenes/{scene_id}/mend")
def mends(scene_id: PathId, body: LightIn, request: Request) -> MendOut:
    """The patches of a treatment that act: their outlines, and where they were found to be copied from."""
    treatment = parse_treatment(body.document)
    layers = [(layer.id, patch) for layer in treatment.mend for patch in layer.patches]

    def work(renderer: Renderer) -> MendOut:
        size = renderer.scene.size
        solved = renderer.solved(treatment)
        out: list[PatchOut] = []
        for patch, pieces in solved:
            layer = next(own for own, other in layers if other is patch)
            lines = [line.round(5).ravel().tolist() for line in outline_of(patch, size)]
            # Of a line in pieces none comes from one place.
            origin, frame = (pieces[0].origin, pieces[0].frame) if len(pieces) == 1 else (None, None)
            mended = bool(pieces)
            out.append(PatchOut(id=patch.id, layer=layer, lines=lines, origin=origin, frame=frame, mended=mended))
        return MendOut(patches=out)

    return on_renderer(request, scene_id, work)


class FringeIn(LightIn):
    """A place of the scene, in shares of its longer side."""

    place: Place


class FringeOut(BaseModel):
    """The colour of the fringe there."""

    direction: float | None = Field(description="in degrees, as of the step Fringes; null where there is none")


@router.post("/scenes/{scene_id}/mend/fringe")
def fringe(scene_id: PathId, body: FringeIn, request: Request) -> FringeOut:
    """The colour of the fringe at a place, as far as Fringes reaches; nothing is changed."""
    treatment = parse_treatment(body.document)

    def work(renderer: Renderer) -> FringeOut:
        radius = treatment.section(RIMS).radius
        found = fringe_at(renderer.source(treatment), body.place, radius)
        return FringeOut(direction=None if found is None else round(found))

    return on_renderer(request, scene_id, work)


class SpreadIn(Body):
    """A layer of the scene's mends, as it is stored."""

    layer: Id


class SpreadOut(BaseModel):
    """The scenes that it was put into, by their titles."""

    scenes: list[str]


@router.post("/scenes/{scene_id}/mend/spread")
def spread(scene_id: PathId, body: SpreadIn, config: Settings = Depends(settings)) -> SpreadOut:
    """Put a layer of mends into the shoot's other scenes of the same camera, where it lies on the sensor."""
    with config.database.session() as session:
        found = SpreadOut(scenes=[scene.title for scene in spread_layer(session, scene_id, body.layer)])
        session.commit()
        return found
