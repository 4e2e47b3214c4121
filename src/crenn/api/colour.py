"""Colours of a scene's picture: where they lie, one that is picked, and a cast that is found."""

from typing import Annotated, Any

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from crenn.api.scenes import on_renderer
from crenn.api.schemas import Body, LightIn, PatchIn, PathId, Share
from crenn.core.colour.found_cast import Method
from crenn.core.colour.hues import HueRange, usual_ranges
from crenn.core.colour.tints import Tint, usual_tints
from crenn.core.render.colour_analysis import MOST, cast_of, distribution, pick
from crenn.core.render.renderer import Renderer
from crenn.core.treatment import parse_treatment

router = APIRouter(prefix="/api", tags=["colour"])


class UsualOut(BaseModel):
    """What can be laid at once: ranges that go round the circle, and tints that part the tones."""

    ranges: list[HueRange]
    tints: list[Tint]


class DistributionOut(BaseModel):
    """Where colours lie: shares of the picture, by sectors of hue from 0 degrees and rings of saturation from grey."""

    most: float = Field(description="saturation at the outer edge; rings are even in its root")
    before: list[list[float]] = Field(description="of what enters the Colour station")
    after: list[list[float]] = Field(description="of the picture as it is")


class PickIn(PatchIn):
    """A patch, and the treatment in which it is looked at."""

    document: dict[str, Any]


class PickOut(BaseModel):
    """The colour of a patch."""

    hue: float = Field(description="degrees")
    saturation: float = Field(description="chroma in proportion to lightness")
    spread: float = Field(description="deviation of hue within the patch, degrees")
    stop: float = Field(description="EV relative to the picture's white")
    code: list[int] = Field(description="red, green and blue of the picture, 0 to 255")


class CastIn(Body):
    """How a cast is looked for, and where: in all of the picture, a box of the scene, or a range of tones."""

    document: dict[str, Any]
    by: Method
    box: tuple[Share, Share, Annotated[float, Field(gt=0, le=9)], Annotated[float, Field(gt=0, le=9)]] | None = None
    low: float | None = Field(None, ge=-16, le=4, description="EV relative to the picture's white")
    high: float | None = Field(None, ge=-16, le=4)


class CastOut(BaseModel):
    """A cast: red and blue over green, in EV."""

    red: float
    blue: float


@router.get("/colour/usual")
def usual() -> UsualOut:
    """Ranges of hues and tints that can be laid at once; they change nothing yet."""
    return UsualOut(ranges=usual_ranges(), tints=usual_tints())


@router.post("/scenes/{scene_id}/colour/distribution")
def colour_distribution(scene_id: PathId, body: LightIn, request: Request) -> DistributionOut:
    """Where the colours of a treatment's picture lie on the circle of hues, before the Colour station and after."""
    treatment = parse_treatment(body.document)

    def work(renderer: Renderer) -> DistributionOut:
        before, after = (distribution(renderer, t).round(6).tolist() for t in (treatment.uncoloured(), treatment))
        return DistributionOut(most=MOST, before=before, after=after)

    return on_renderer(request, scene_id, work)


@router.post("/scenes/{scene_id}/colour/pick")
def colour_pick(scene_id: PathId, body: PickIn, request: Request) -> PickOut:
    """The colour of a patch: where on the circle of hues it lies, and how wide."""
    treatment = parse_treatment(body.document)
    found = on_renderer(request, scene_id, lambda renderer: pick(renderer, treatment, body.place, body.radius))
    return PickOut(
        hue=round(found.hue, 1),
        saturation=round(found.saturation, 4),
        spread=round(found.spread, 1),
        stop=round(found.stop, 2),
        code=list(found.code),
    )


@router.post("/scenes/{scene_id}/colour/cast")
def colour_cast(scene_id: PathId, body: CastIn, request: Request) -> CastOut:
    """The cast of a treatment's picture; nothing is changed."""
    treatment = parse_treatment(body.document)
    tones = body.low, body.high
    red, blue = on_renderer(request, scene_id, lambda r: cast_of(r, treatment, body.by, body.box, tones))
    return CastOut(red=red, blue=blue)
