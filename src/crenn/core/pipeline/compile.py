"""From steps and their parameters to one frame and one program."""

from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType
from typing import Any

from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.pipeline.program import Acts, Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import FrameStep, LightStep, Stage, Step, StepParameters


def framed(
    steps: Iterable[tuple[Step[Any], StepParameters]], size: tuple[int, int], scene: SceneLight
) -> PictureGeometry:
    """How the picture lies over a scene of size (H, W), by the steps of the frame.

    Raises
    ------
    CrennError
        If the geometry cannot be.
    """
    frame = PictureGeometry.whole(size)
    for step, parameters in steps:
        if isinstance(step, FrameStep) and parameters.on:
            frame = step.frame(frame, step.resolved(parameters, scene), scene)
    return frame


def compiled(
    steps: Iterable[tuple[Step[Any], StepParameters]],
    bends: Sequence[Mapping[str, Mapping[str, float]]],
    scene: SceneLight,
    display: bool = True,
    acts: Sequence[Acts] = (),
    laid: Mapping[int, bool] = MappingProxyType({}),
) -> Program:
    """Let steps write their program.

    Parameters
    ----------
    steps : iterable of (Step, StepParameters)
        In the order in which they act.
    bends : sequence of mapping
        For each area, by the step's name, the dials of it that the area bends.
    scene : SceneLight
    display : bool
        Whether the steps of the display take part.
    acts : sequence of str
        What each area changes; all of the light where it is not told.
    laid : mapping of int to bool
        Areas under whose masks the picture is rendered otherwise, and whether that light is added; they bend nothing
        here.
    """
    program = Program()
    of_light = [(step, parameters) for step, parameters in steps if isinstance(step, LightStep) and parameters.on]
    for stage in (Stage.LIGHT, Stage.FINISH, Stage.DISPLAY) if display else (Stage.LIGHT, Stage.FINISH):
        for step, parameters in of_light:
            if step.stage != stage:
                continue
            values = step.resolved(parameters, scene)
            step.act(program, values, scene)
            for area, bent in enumerate(bends):
                if own := bent.get(step.name):
                    with program.under(area, acts[area] if area < len(acts) else "light"):
                        step.bend(program, own, values, scene)
        if stage == Stage.LIGHT:
            for area, added in laid.items():
                program.lay(area, added)
            program.finished()
    return program
