"""The program of a treatment."""

import threading

import cachetools

from crenn.core.areas.area import Area
from crenn.core.light.ends import neutral_display
from crenn.core.pipeline.compile import compiled
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Stage
from crenn.core.treatment import STEPS, Treatment, shown_in

#: Programs that are kept: of one picture the same are asked for several times over.
_KEPT = 12


def _key(treatment: Treatment, light: SceneLight, display: bool = True) -> tuple[str, SceneLight, bool]:
    return treatment.told_apart, light, display


@cachetools.cached(cachetools.LRUCache(_KEPT), key=_key, lock=threading.Lock())
def program_of(treatment: Treatment, light: SceneLight, display: bool = True) -> Program:
    """The program of a treatment for a scene; to be read alone, for it is kept.

    ``display`` tells whether the display transform takes part.
    """
    steps = [(step, treatment.section(step)) for step in STEPS]
    areas = bending(treatment)
    bends = [_of_display(area.by_step()) if area.lies else area.by_step() for area in areas]
    laid = {index: area.acts == "added" for index, area in enumerate(areas) if area.lies}
    program = compiled(steps, bends, light, display, [area.acts for area in areas], laid)
    if display and program.display is None:
        program.show(neutral_display)
    return program


def bending(treatment: Treatment) -> list[Area]:
    """The areas that change something, in the order in which programs count them."""
    return [area for area in treatment.areas if area.by_step() or area.lies]


def otherwise(treatment: Treatment, index: int) -> Treatment:
    """What an area that `Area.lies` shows within its mask: its bends everywhere, and without the steps that it leaves
    out; ``index`` counts as programs do.

    Of the other areas those act that lie nowhere themselves: otherwise each would ask for all.
    """
    own = bending(treatment)[index]
    if own.take is not None:
        shown = shown_in(own)
        # The picture lies as this one does; what the area bends comes on top.
        lies = {step.name: treatment.section(step) for step in STEPS if step.stage == Stage.FRAME}
        areas = [*shown.areas, own.everywhere] if own.bends else shown.areas
        return shown.without(*own.without).with_sections(**lies, areas=areas, mend=treatment.mend)
    others = [area for area in treatment.areas if area is own or not area.lies]
    areas = [area.everywhere if area is own else area for area in others]
    return treatment.without(*own.without).with_sections(areas=areas)


def _of_display(bends: dict[str, dict[str, float]]) -> dict[str, dict[str, float]]:
    """Of an area's bends those of steps that finish or show light: they act once all light is together."""
    return {step.name: bends[step.name] for step in STEPS if step.stage >= Stage.FINISH and step.name in bends}
