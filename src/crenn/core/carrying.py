"""What of one scene's treatment is carried over to another."""

from collections.abc import Mapping, Sequence
from typing import Literal

from crenn.core.area_presets import AreasDocument, adapted
from crenn.core.areas.area import MOST_AREAS, Area
from crenn.core.areas.part import with_ids
from crenn.core.basis import PlaceMap
from crenn.core.errors import CrennError
from crenn.core.treatment import STEPS, Treatment

#: Kinds of parts that every scene finds anew; the others lie where they were drawn.
_FOUND = {"found", "light", "colour"}
_STEPS = {step.name: step for step in STEPS}
#: What is carried of areas: none, those that are found anew, or all, hand-made masks where they lie.
AreasCarried = Literal["none", "found", "all"]


def carried(
    source: Treatment,
    target: Treatment,
    steps: Sequence[str],
    areas: AreasCarried = "found",
    tied: Mapping[str, float] | None = None,
    sides: tuple[tuple[float, float], tuple[float, float]] | None = None,
) -> Treatment:
    """A treatment with some steps, and areas, of another's.

    Parameters
    ----------
    source, target : Treatment
    steps : sequence of str
        Names of the steps that are carried.
    areas : str
        An area of the same name is replaced.
    tied : mapping of str to float
        What automatic values come to in the source, by ``step.parameter``: the target has the same. Without it,
        automatic values follow each scene's own light.
    sides : tuple of two tuples of float
        Width and height of both scenes, in shares of the longer side.

    Raises
    ------
    CrennError
        If a step is unknown, or there are too many areas.
    """
    if unknown := set(steps) - _STEPS.keys():
        raise CrennError(f"There is no step “{min(unknown)}”.")
    sections = {}
    # What was near an edge is so again, as it is of areas.
    by = PlaceMap.scaled(*(there / here for here, there in zip(*sides))) if sides is not None else None
    for name in steps:
        section = source.section(_STEPS[name])
        section = section if by is None else section.moved(by)
        own = {
            key: value
            for path, value in (tied or {}).items()
            for step, key in [path.split(".")]
            if step == name and getattr(section, key) is None
        }
        sections[name] = section.model_copy(update=own) if own else section
    brought = [area for area in source.areas if areas == "all" or (areas == "found" and _is_found(area))]
    if brought and sides is not None:
        brought = adapted(AreasDocument(scene=sides[0], areas=brought), sides[1])
    names = {area.name for area in brought}
    kept = [area for area in target.areas if area.name not in names]
    if len(kept) + len(brought) > MOST_AREAS:
        raise CrennError(f"A picture has {MOST_AREAS} areas at most.", remedy="Take some away first.")
    own_areas = with_ids([*kept, *(area.changed(id="") for area in brought)], "a")
    return target.with_sections(**sections, areas=own_areas)


def _is_found(area: Area) -> bool:
    return all(part.kind in _FOUND for part in area.parts)
