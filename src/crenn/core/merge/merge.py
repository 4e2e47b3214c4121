"""Frames in, one radiance map out."""

import logging
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import cv2
import numpy as np

from crenn.core.errors import CrennError, MismatchedFrames
from crenn.core.frames.camera_noise import CameraNoise
from crenn.core.frames.light import LightFrame, sensitivities
from crenn.core.merge.bracket import merge_bracket
from crenn.core.merge.calibrate import Calibration, calibrate, master_frames
from crenn.core.merge.colour import cropped, to_colour, turn_as_held
from crenn.core.merge.combine import MergedMosaic
from crenn.core.merge.costs import MergeStages, Work
from crenn.core.merge.describe import Facts, describe
from crenn.core.merge.exposures import clipped_share
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.load_frames import SAME, gather
from crenn.core.merge.mosaics import Mosaics, release_pages
from crenn.core.merge.places import on_reference
from crenn.core.merge.stack import CLIP_FROM, as_one_frame, stack_frames
from crenn.core.mosaic.lines import take_lines
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap

#: More frames than this do not fit the source channel.
MAX_FRAMES = 200
#: Shorter exposures may have been held by hand, in seconds.
_BY_HAND = 0.5
_log = logging.getLogger(__name__)


def merge_frames(
    paths: Sequence[Path],
    reference: int | None = None,
    progress: Progress | None = None,
    names: Sequence[str] | None = None,
    instructions: Instructions | None = None,
    kinds: Sequence[str | None] | None = None,
    models: Sequence[CameraNoise] = (),
    keys: Sequence[str] | None = None,
) -> RadianceMap:
    """Merge frames into one radiance map: a bracket, a stack of equal frames, or a stack of brackets.

    Parameters
    ----------
    paths : sequence of Path
        One frame or more, in any order; dark, flat and bias frames may be among them.
    reference : int, optional
        Index into ``paths`` of the frame whose saturation is 1.0, whose white balance is kept and over which the others
        are laid; by default the middle exposure of a bracket, the middle frame of a stack.
    progress : Progress, optional
    names : sequence of str, optional
        What the user calls the frames; their files' names by default.
    instructions : Instructions, optional
    kinds : sequence of str or None, optional
        What each frame is for, where the user said so: light, dark, flat or bias.
    models : sequence of CameraNoise, optional
        Noise models that overrule those of the files.
    keys : sequence of str, optional
        What tells each frame from all others for good, such as its content hash; its name by default. The report, and
        documents that hold on to places, know frames by it.

    Raises
    ------
    UnreadableFrame
        If no frame can be read.
    MismatchedFrames
        If the reference frame cannot be merged, or no frame is left.
    """
    began = time.perf_counter()
    progress, instructions = progress or Progress(), instructions or Instructions()
    names = list(names or (Path(p).name for p in paths))
    reference = _reference(len(paths), names, reference, instructions)
    stages = MergeStages(progress, Work(len(paths), moved=instructions.detail, motion=instructions.deghost))
    with _timed("read"):
        reading = stages.begin("read")
        found = gather(paths, names, instructions.seconds, kinds or [None] * len(paths), reading, models)
    if reference is not None and not any(f.index == reference for f in found.lights):
        raise MismatchedFrames(
            "The reference frame cannot be merged:", remedy=" ".join(found.aside) or "it is a calibration frame."
        )
    lights = found.lights
    facts = Facts(aside=found.aside, warnings=found.warnings, keys=list(keys or names))
    facts.mode = _mode(lights, instructions)
    stages.known(
        frames=len(lights),
        others=len(found.darks + found.flats + found.biases),
        megapixels=lights[0].mosaic.size / 1e6,
        stack=facts.mode == "stack",
        moved=instructions.detail and (_held_by_hand(lights) if facts.mode == "bracket" else _gathers(instructions)),
        trails=instructions.method == "maximum",
        grouped=facts.mode == "bracket" and any(len(g) > 2 for g in _groups(lights)),
    )
    stages.begin("calibrate", "Calibrating")
    with _timed("calibrate"):
        calibration = master_frames(found.lights, found.darks, found.flats, found.biases)
    found.darks, found.flats, found.biases = [], [], []
    facts.calibration = calibration.notes
    facts.filter_stops, facts.day = instructions.filter_stops, instructions.day
    facts.hot = 0 if calibration.hot is None else int(calibration.hot.sum())
    if any(v is not None for v in (calibration.dark, calibration.flat, calibration.hot)):
        # Calibration frames speak of sites.
        for frame in lights:
            frame.planes = None
    if facts.mode == "stack":
        with _timed("stack"):
            merged, lights, first = _stack(lights, calibration, reference, instructions, facts, stages)
    else:
        with _timed("calibrate frames"):
            grouped = stages.begin("groups")
            lights = _stack_groups(lights, calibration, reference, instructions, facts, grouped)
        with _timed("bracket"):
            merged, lights, first = merge_bracket(lights, reference, instructions, facts, stages)
    moved = any(f.sites is not None for f in lights)
    stages.known(frames=len(lights), moved=moved, clipped=bool(merged.clipped.any()))
    if not first.raw.developed and not any(f.shift > 0 for f in lights):
        # Frames that were moved have their lines no longer along those of the mosaic.
        stages.begin("lines", "Taking lines out")
        with _timed("lines"):
            facts.take_lines(take_lines(merged.light, merged.variance))
    with _timed("colour"):
        radiance = to_colour(merged, first, lights, facts, instructions.fringes, stages)
    del merged
    radiance.moved, radiance.ground = facts.moved, facts.ground
    if instructions.borders == "common" and facts.common is not None:
        facts.part = cropped(radiance, facts.common)
    turn_as_held(radiance, first.raw.flip)
    feeds = _number_by_index(radiance, lights)
    with _timed("report"):
        report = describe(radiance, lights, feeds, facts, first, stages.begin("report", "Measuring the light"))
    report.seconds = round(time.perf_counter() - began, 3)
    radiance.report = report.model_dump()
    _log.info("merged", extra={"frames": len(lights), "mode": facts.mode, "seconds": report.seconds})
    progress.at(1.0, "Merged")
    return radiance


@contextmanager
def _timed(stage: str) -> Iterator[None]:
    """Log how long a stage of the merge takes."""
    began = time.perf_counter()
    yield
    _log.info("merge stage", extra={"stage": stage, "seconds": round(time.perf_counter() - began, 3)})


def _reference(count: int, names: list[str], reference: int | None, instructions: Instructions) -> int | None:
    """The reference frame asked for, checked."""
    if not count:
        raise MismatchedFrames("No frames to merge.", remedy="Choose at least one frame.")
    if count > MAX_FRAMES:
        raise MismatchedFrames(f"{count} frames are too many for one merge;", remedy=f"use up to {MAX_FRAMES}.")
    if reference is None and instructions.reference is not None:
        if instructions.reference not in names:
            raise CrennError(
                f"The reference frame {instructions.reference} is not among the frames.",
                remedy="Choose another, or none.",
            )
        reference = names.index(instructions.reference)
    if reference is not None and not 0 <= reference < count:
        raise CrennError(f"Reference {reference} is not one of the frames 0 to {count - 1}.")
    return reference


def _mode(lights: list[LightFrame], instructions: Instructions) -> str:
    if len(lights) == 1:
        return "single"
    if instructions.mode != "auto":
        return instructions.mode
    return "stack" if len(_groups(lights)) == 1 and len(lights) >= CLIP_FROM else "bracket"


def _gathers(instructions: Instructions) -> bool:
    """Whether detail of a stack's frames is gathered, if they were moved."""
    return instructions.method in ("auto", "mean", "clipped")


def _held_by_hand(lights: list[LightFrame]) -> bool:
    """Whether all exposures are so short that a camera may have been held by hand."""
    return all((f.metadata.seconds or 0.0) < _BY_HAND for f in lights)


def _groups(lights: list[LightFrame]) -> list[list[LightFrame]]:
    """Frames of equal exposure; the darkest first, each group in the frames' own order."""
    ev = np.log2(sensitivities(lights))
    out: list[list[int]] = []
    for k in np.argsort(ev, kind="stable").tolist():
        if out and ev[k] - ev[out[-1][0]] < SAME:
            out[-1].append(k)
        else:
            out.append([k])
    return [[lights[k] for k in sorted(group)] for group in out]


def _put_away(lights: list[LightFrame], mosaics: Mosaics) -> None:
    """Give the frames' mosaics over, one after the other; stacks are made of mosaics alone."""
    for k, frame in enumerate(lights):
        frame.planes = None
        mosaic = frame.detach_mosaic()
        mosaics.put(k, mosaic)
        release_pages(mosaic)


def _stack(
    lights: list[LightFrame],
    calibration: Calibration,
    reference: int | None,
    instructions: Instructions,
    facts: Facts,
    stages: MergeStages,
) -> tuple[MergedMosaic, list[LightFrame], LightFrame]:
    """Stack all light frames: (mosaic, frames that took part, reference frame)."""
    first = next((f for f in lights if f.index == reference), lights[(len(lights) - 1) // 2])
    with Mosaics(len(lights), first.mosaic.shape) as mosaics:
        for frame in lights:
            frame.clipped = clipped_share(frame.mosaic, frame.levels.clip)
        placed = on_reference(instructions, lights, first, facts.keys)
        _put_away(lights, mosaics)
        stacked = stack_frames(lights, mosaics, calibration, first, placed, stages)
    facts.take_stack(stacked)
    return stacked.merged, stacked.used, first


def _stack_groups(
    lights: list[LightFrame],
    calibration: Calibration,
    reference: int | None,
    instructions: Instructions,
    facts: Facts,
    progress: Progress,
) -> list[LightFrame]:
    """Calibrate frames, and make one of each group of equal exposures where there are several such frames."""
    groups = _groups(lights)
    gone: list[LightFrame] = []
    for number, group in enumerate(groups):
        stacking = len(group) > 2 and len(groups) > 1
        progress.at(number / len(groups), "Stacking equal exposures" if stacking else "Calibrating")
        if not stacking:
            for frame in group:
                calibrate(frame, calibration)
            continue
        keep = next((f for f in group if f.index == reference), group[0])
        # Trails make no sense in one exposure of many.
        method = "auto" if instructions.method == "maximum" else instructions.method
        own = instructions.model_copy(update={"method": method, "detail": False})
        with Mosaics(len(group), keep.mosaic.shape) as mosaics:
            _put_away(group, mosaics)
            within = progress.part(number / len(groups), (number + 1) / len(groups))
            work = Work(len(group), megapixels=keep.mosaic.size / 1e6, stack=True)
            stacked = stack_frames(group, mosaics, calibration, keep, own, MergeStages(within, work), sky=False)
        as_one_frame(stacked, keep)
        gone += [f for f in group if f is not keep]
        facts.warnings.append(f"{keep.name}: stands for {len(stacked.used)} frames of its exposure, stacked.")
        facts.aside += stacked.aside
    return [f for f in lights if not any(f is g for g in gone)]


def _number_by_index(radiance: RadianceMap, lights: list[LightFrame]) -> np.ndarray:
    """Let source and moved name frames by their indices; share of the picture that each frame feeds most, (K,)."""
    assert radiance.source is not None
    counts = cv2.calcHist([radiance.source], [0], None, [256], [0, 256]).ravel()
    feeds = counts[: max(len(lights), int(radiance.source.max()) + 1)].astype(float) / radiance.source.size
    table = np.zeros(256, np.uint8)
    table[: len(lights)] = [f.index for f in lights]
    radiance.source = cv2.LUT(radiance.source, table)
    if radiance.moved is not None:
        names = np.concatenate([[0], table.astype(np.int64) + 1])
        radiance.moved = np.where(radiance.moved > 0, names[radiance.moved], 0).astype(np.uint8)
    return feeds
