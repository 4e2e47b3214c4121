"""Straight lines of a scene, and what they say of how the camera was held."""

import numpy as np
from fastapi import APIRouter, Depends

from crenn.api.context import Settings, settings
from crenn.api.scenes import prepared_of
from crenn.api.schemas import LinesIn, PathId, StraightOut
from crenn.core.geometry.lines import SEARCHED, find_lines, straighten, straighten_by, through
from crenn.core.geometry.perspective import equivalent
from crenn.core.pipeline.compile import framed
from crenn.core.treatment import LENS, TURN

router = APIRouter(prefix="/api", tags=["scenes"])


@router.post("/scenes/{scene_id}/straighten")
def straighten_scene(scene_id: PathId, body: LinesIn, config: Settings = Depends(settings)) -> StraightOut:
    """How the camera would have to be turned for lines to stand and lie; nothing is changed."""
    scene = prepared_of(scene_id, config)
    frame = framed(((LENS, body.lens), (TURN, body.turn)), scene.size, scene.light)
    focal = body.focal or equivalent(scene.light.capture)
    if body.lines:
        middle = np.array([scene.size[1], scene.size[0]] * 2) / 2 / frame.long_side
        found = straighten_by(through(np.array(body.lines) - middle, frame), focal)
    else:
        reduced = np.asarray(scene.read(scene.level_for(SEARCHED / frame.long_side)))
        found = straighten(through(find_lines(reduced, scene.floor), frame), body.horizontal, focal)
    return StraightOut(**{name: round(value, 2) for name, value in vars(found).items()})
