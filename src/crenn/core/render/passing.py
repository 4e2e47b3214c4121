"""Passing lights of a scene: found in its sky, as patches."""

import numpy as np

from crenn.core.areas.brush import GRID
from crenn.core.areas.found.part import Found
from crenn.core.mend.patch import Patch
from crenn.core.mend.trails import SIDE, Trail, find_trails
from crenn.core.render.renderer import Renderer
from crenn.core.render.source import reduced_to
from crenn.core.render.view import View
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

#: A patch covers so many times a trail's width, and reaches so many widths beyond its ends.
_WIDER, _BEYOND = 0.75, 1.5


def passing_lights(renderer: Renderer, treatment: Treatment) -> list[tuple[Patch, Trail]]:
    """Trails in the sky of a scene with a treatment's mends, the clearest first, with patches that would mend them."""
    source = renderer.source(treatment)
    light = reduced_to(source, SIDE)
    (rows, columns), (height, width) = light.shape[:2], source.size
    window = Window(0, 0, width, height, columns, rows)
    sky = renderer.share(Found(what="sky"), View.of_scene(source, window)) > 0.5
    return [(_patch(trail), trail) for trail in find_trails(light, sky)]


def _patch(trail: Trail) -> Patch:
    start, end = np.array(trail.start), np.array(trail.end)
    more = (end - start) / max(float(np.hypot(*(end - start))), 1e-9) * trail.width * _BEYOND
    first, last = (np.round(place * GRID).astype(int) for place in (start - more, end + more))
    return Patch(points=[*first.tolist(), *(last - first).tolist()], radius=trail.width * _WIDER, softness=20.0)
