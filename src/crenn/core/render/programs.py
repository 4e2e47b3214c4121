"""The program of a treatment."""

import threading

import cachetools

from crenn.core.areas.area import Area
from crenn.core.light.ends import neutral_display
from crenn.core.pipeline.compile import compiled
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.treatment import STEPS, Treatment

#: Programs that are kept: of one picture the same are asked for several times over.
_KEPT = 12
#: What of an area makes its mask.
_MASK = {"id", "name", "opacity", "parts", "invert"}


def _key(treatment: Treatment, light: SceneLight, display: bool = True) -> tuple[str, SceneLight, bool]:
    # What masks are made of is none of a program's business, and can be long.
    return treatment.model_dump_json(exclude={"basis": True, "areas": {"__all__": _MASK}}), light, display


@cachetools.cached(cachetools.LRUCache(_KEPT), key=_key, lock=threading.Lock())
def program_of(treatment: Treatment, light: SceneLight, display: bool = True) -> Program:
    """The program of a treatment for a scene; to be read alone, for it is kept.

    ``display`` tells whether the display transform takes part.
    """
    steps = [(step, treatment.section(step)) for step in STEPS]
    areas = bending(treatment)
    program = compiled(steps, [area.by_step() for area in areas], light, display, [area.acts for area in areas])
    if display and program.display is None:
        program.show(neutral_display())
    return program


def bending(treatment: Treatment) -> list[Area]:
    """The areas that bend something, in the order in which programs count them."""
    return [area for area in treatment.areas if area.by_step()]
