"""Frames of several exposures become one: laid over each other, compared, combined."""

import itertools
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from crenn.core.align.bracket import Alignment, align
from crenn.core.frames.light import LightFrame, Sites, sensitivities
from crenn.core.geometry.mapping import common_part
from crenn.core.merge.brush import on_sensor
from crenn.core.merge.calibrate import mend_sites, vote_hot
from crenn.core.merge.combine import MergedMosaic, combine
from crenn.core.merge.costs import MergeStages
from crenn.core.merge.describe import Facts
from crenn.core.merge.exposures import ExposureRatio, clipped_share, measure_ratio
from crenn.core.merge.full_colour import merge_full_colour
from crenn.core.merge.ghosts import CELL, Motion, find_motion
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.places import on_reference
from crenn.core.mosaic.moving import MISSING, MOVED_LEVELS, Interpolated, noise_share
from crenn.core.progress import Progress


def merge_bracket(
    lights: list[LightFrame],
    reference: int | None,
    instructions: Instructions,
    facts: Facts,
    stages: MergeStages,
) -> tuple[MergedMosaic, list[LightFrame], LightFrame]:
    """Merge frames of several exposures.

    Parameters
    ----------
    lights : list of LightFrame
        Calibrated; their mosaics are used up.
    reference : int, optional
        Index of the reference frame; the frame of the middle exposure if None.
    instructions : Instructions
    facts : Facts
        Takes what is found out.
    stages : MergeStages
        Those of a bracket as of `crenn.core.merge.costs` are gone through.

    Returns
    -------
    merged : MergedMosaic
    lights : list of LightFrame
        Those that took part.
    first : LightFrame
        The reference frame.
    """
    first = next((f for f in lights if f.index == reference), None) or _middle(lights)
    if instructions.align and len(lights) > 1:
        lights, first = _aligned(lights, first, reference is not None, facts, stages.begin("align"))
    for frame in lights:
        frame.clipped = clipped_share(frame.mosaic, frame.levels.clip)
    stages.known(frames=len(lights), moved=instructions.detail and any(f.mesh is not None for f in lights))
    _lay_over(lights, instructions.detail, facts, stages.begin("lay"))
    placed = on_sensor(on_reference(instructions, lights, first, facts.keys), first.raw.flip)
    _measure_gains(lights, first, stages.begin("compare"))
    stack = np.empty((len(lights), *first.mosaic.shape), np.uint16)
    for k, frame in enumerate(lights):
        # One after the other: both together would take twice the memory.
        stack[k] = frame.detach_mosaic()
    motion: Motion | None = None
    if instructions.deghost and len(lights) > 1:
        looking = stages.begin("motion")
        chosen = next(k for k, f in enumerate(lights) if f is first)
        motion = find_motion(stack, lights, chosen, placed, looking)
        facts.take_motion(motion, lights)
        facts.moved = _full_size(motion.moved, stack.shape[1:])
        for frame, share in zip(lights, motion.share):
            if frame.sites is not None:
                frame.sites.share = np.where(motion.decided, share, np.maximum(share, 1))
    stages.begin("light", "Merging light")
    still = motion.share if motion else None
    merged = combine(stack, lights, still)
    del stack
    merged.full = merge_full_colour(lights, still)
    return merged, lights, first


def _full_size(cells: np.ndarray, size: tuple[int, ...]) -> np.ndarray:
    """A plane of cells, one value a pixel; the border takes its neighbours' values."""
    full = np.repeat(np.repeat(cells, CELL, 0), CELL, 1)
    return np.pad(full, ((0, size[0] - full.shape[0]), (0, size[1] - full.shape[1])), mode="edge")


def _middle(lights: list[LightFrame]) -> LightFrame:
    """The frame of the middle exposure."""
    order = np.argsort(sensitivities(lights), kind="stable")
    return lights[int(order[(len(order) - 1) // 2])]


def _aligned(
    lights: list[LightFrame], first: LightFrame, asked: bool, facts: Facts, progress: Progress
) -> tuple[list[LightFrame], LightFrame]:
    """Align all frames and drop those that do not fit: (frames left, reference frame)."""

    def attempt(frame: LightFrame) -> list[Alignment]:
        return align(lights, next(k for k, f in enumerate(lights) if f is frame), progress)

    alignments = attempt(first)
    wrong = sum(a.fault is not None for a in alignments)
    if len(lights) >= 3 and not asked and wrong * 2 > len(lights) - 1:
        # Nearly all others disagree with the reference frame: it may be the odd one itself.
        order = [lights[k] for k in np.argsort(sensitivities(lights), kind="stable")]
        other = order[(next(k for k, f in enumerate(order) if f is first) + 1) % len(order)]
        second = attempt(other)
        if sum(a.fault is not None for a in second) < wrong:
            first, alignments = other, second
    kept = []
    for alignment, frame in zip(alignments, lights):
        if alignment.fault:
            facts.aside.append(f"{frame.name}: {alignment.fault} It was left out.")
            continue
        frame.mesh, frame.shift = alignment.mesh, alignment.shift
        frame.turn, frame.error = alignment.turn, alignment.error
        kept.append(frame)
    return kept, first


def _lay_over(lights: list[LightFrame], detail: bool, facts: Facts, progress: Progress) -> None:
    """Move frames over the reference frame, in place."""
    if not any(f.mesh for f in lights):
        return
    size = lights[0].mosaic.shape
    votes = np.zeros(size, np.uint8)
    # Hot sites show most in the brightest frames.
    for k in np.argsort(sensitivities(lights))[-3:]:
        vote_hot(lights[k], votes)
    # A hot site stays where it is while the picture moves: two frames that agree on it are enough.
    hot = votes >= 2
    facts.hot += int(hot.sum())
    darkest = lights[int(np.argmin(sensitivities(lights)))]
    box = (0, 0, size[1], size[0])
    for k, frame in enumerate(lights):
        progress.at(k / len(lights), f"Laying {frame.name} in place")
        if detail and frame.planes is None:
            frame.sites = Sites(np.where(hot, np.uint16(MISSING), frame.mosaic), frame.levels)
        mend_sites(frame.mosaic, hot)
        if frame.mesh is None:
            continue
        gains, spoil = frame.raw.neutral_gains, 1 if frame is darkest else 3
        interpolated = Interpolated.of(frame.mosaic, frame.pattern, frame.levels, gains, frame.noise, spoil)
        frame.mosaic, frame.levels = interpolated.moved(frame.mesh), MOVED_LEVELS
        frame.spread = noise_share(frame.mesh, frame.pattern, gains)
        box = common_part(box, frame.mesh, size)
    facts.common = box


def _measure_gains(lights: Sequence[LightFrame], first: LightFrame, progress: Progress) -> None:
    """Measure each frame's sensitivity relative to the reference frame, link by link from dark to bright."""
    nominal = sensitivities(list(lights))
    order = np.argsort(nominal, kind="stable")
    ratios = {int(order[0]): ExposureRatio(1.0, 1.0, 0.0)}
    for number, (before, here) in enumerate(itertools.pairwise(order.tolist())):
        progress.at(number / len(order), "Comparing exposures")
        link = measure_ratio(lights[before], lights[here], nominal[here] / nominal[before])
        so_far = ratios[before]
        error = None if link.error is None else float(np.hypot(link.error, so_far.error or 0.0))
        ratios[here] = replace(
            link, nominal=nominal[here] / nominal[order[0]], refined=so_far.refined * link.refined, error=error
        )
    own = ratios[next(k for k, f in enumerate(lights) if f is first)]
    for k, frame in enumerate(lights):
        frame.gain, frame.nominal = ratios[k].refined / own.refined, ratios[k].nominal / own.nominal
        frame.gain_error = ratios[k].error
