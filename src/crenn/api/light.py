"""What a picture's light tells: white balances found in it, and what enters its curve."""

from collections.abc import Callable
from typing import TypeVar

import numpy as np
from fastapi import APIRouter, Depends, Request

from crenn.api.context import Settings, settings
from crenn.api.scenes import on_renderer, prepared_of
from crenn.api.schemas import ChannelEndsOut, CurveLightOut, LightIn, PatchIn, PathId, WhiteIn, WhiteOut
from crenn.core.errors import CrennError
from crenn.core.light.curve import channel_ends
from crenn.core.light.found_white import FoundWhite, automatic_white, white_in_patch, white_of_picture
from crenn.core.light.two_lights import TwoLights, two_lights
from crenn.core.light.white_patch import TEMPERATURES, TINTS
from crenn.core.render.curve_input import BIN, START, Entering, entering
from crenn.core.treatment import parse_treatment

router = APIRouter(prefix="/api", tags=["light"])
T = TypeVar("T")
#: Light of the brightest of the picture is lamps and what was lost: it tells no colour.
_TELLING = 0.995


def _told(find: Callable[[], T]) -> T:
    """What is found in a picture; that nothing is, in words."""
    try:
        return find()
    except ValueError as fault:
        raise CrennError(str(fault)) from None


def _white(find: Callable[[], FoundWhite]) -> WhiteOut:
    found = _told(find)
    return WhiteOut(
        temperature=round(float(np.clip(found.temperature, *TEMPERATURES))),
        tint=round(float(np.clip(found.tint, *TINTS)), 1),
        red=round(found.red, 2),
        blue=round(found.blue, 2),
        short=round(found.short, 2),
        spread=None if found.spread is None else round(found.spread, 1),
    )


@router.post("/scenes/{scene_id}/neutral")
def neutral(scene_id: PathId, body: PatchIn, config: Settings = Depends(settings)) -> WhiteOut:
    """White balance that makes a patch neutral."""
    prepared = prepared_of(scene_id, config)
    height, width = prepared.size
    x, y = (v * max(width, height) for v in body.place)
    if not (0 <= x < width and 0 <= y < height):
        raise CrennError("This place lies outside the picture.", remedy="Pick one inside.")
    x0, x1 = (int(np.clip(v, 0, width - 1)) for v in (x - body.radius, x + body.radius))
    y0, y1 = (int(np.clip(v, 0, height - 1)) for v in (y - body.radius, y + body.radius))
    patch = slice(y0, y1 + 1), slice(x0, x1 + 1)
    if prepared.has("clipped") and (prepared.plane("clipped", *patch) > 0).mean() > 0.1:
        raise CrennError(
            "This patch is clipped in every frame: its colour was not recorded.", remedy="Pick a darker place."
        )
    return _white(lambda: white_in_patch(np.asarray(prepared.read(0, *patch)), prepared.light.as_shot))


@router.post("/scenes/{scene_id}/white")
def white(scene_id: PathId, body: WhiteIn, config: Settings = Depends(settings)) -> WhiteOut:
    """White balance found in the whole picture."""
    prepared = prepared_of(scene_id, config)
    small = np.asarray(prepared.read(prepared.level_for(min(1000 / max(prepared.size), 1.0))))
    ceiling = float(np.exp2(prepared.light.quantile(_TELLING)))
    by = small, prepared.light.as_shot, prepared.floor, ceiling
    if body.by == "two":
        return _two(lambda: two_lights(*by))
    return _white(lambda: (automatic_white if body.by == "automatic" else white_of_picture)(*by))


def _two(find: Callable[[], TwoLights]) -> WhiteOut:
    found = _told(find)
    return WhiteOut(
        temperature=round(found.first.temperature),
        tint=round(found.first.tint, 1),
        second_temperature=round(found.second.temperature),
        second_tint=round(found.second.tint, 1),
    )


def _entering(request: Request, scene_id: int, body: LightIn) -> Entering:
    """What enters the curve, worked out on the thread that renders."""
    treatment = parse_treatment(body.document)
    return on_renderer(request, scene_id, lambda renderer: entering(renderer, treatment))


@router.post("/scenes/{scene_id}/curve/light")
def curve_light(scene_id: PathId, body: LightIn, request: Request) -> CurveLightOut:
    """Histogram of the light that enters the curve of a treatment."""
    luminance, red, green, blue = (np.round(v, 7).tolist() for v in _entering(request, scene_id, body).shares)
    return CurveLightOut(start=START, bin=BIN, luminance=luminance, red=red, green=green, blue=blue)


@router.post("/scenes/{scene_id}/curve/ends")
def curve_ends(scene_id: PathId, body: LightIn, request: Request) -> ChannelEndsOut:
    """Points that give the colours the same darkest and brightest light; nothing is changed."""
    found = _entering(request, scene_id, body)
    red, green, blue = channel_ends(found.shares, found.stops)
    return ChannelEndsOut(red=red, green=green, blue=blue)
