"""Frames in, one radiance map out."""

import itertools
import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from crenn.core.align.bracket import Alignment, align
from crenn.core.align.mapping import Mesh
from crenn.core.align.resample import noise_share, resample_mosaic
from crenn.core.errors import CrennError, MismatchedFrames
from crenn.core.frames.raw import RawFrame
from crenn.core.merge.brush import as_on_sensor
from crenn.core.merge.calibrate import Calibration, apply, count_hot, mend_sites, prepare
from crenn.core.merge.colour import cropped, to_colour, turn_as_held
from crenn.core.merge.combine import MergedMosaic, combine
from crenn.core.merge.describe import Facts, describe
from crenn.core.merge.exposures import ExposureRatio, measure_ratio
from crenn.core.merge.gather import SAME, Gathered, gather
from crenn.core.merge.ghosts import CELL, Motion, find_motion
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.mosaics import Mosaics, let_go
from crenn.core.merge.stack import CLIP_FROM, as_one_frame, stack_frames
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap

#: More frames than this do not fit the source channel.
MAX_FRAMES = 200


def merge_frames(
    paths: Sequence[Path],
    reference: int | None = None,
    progress: Progress | None = None,
    names: Sequence[str] | None = None,
    instructions: Instructions | None = None,
    kinds: Sequence[str | None] | None = None,
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
    if not paths:
        raise MismatchedFrames("No frames to merge.", remedy="Choose at least one frame.")
    if len(paths) > MAX_FRAMES:
        raise MismatchedFrames(f"{len(paths)} frames are too many for one merge;", remedy=f"use up to {MAX_FRAMES}.")
    if reference is None and instructions.reference is not None:
        if instructions.reference not in names:
            raise CrennError(
                f"The reference frame {instructions.reference} is not among the frames.",
                remedy="Choose another, or none.",
            )
        reference = names.index(instructions.reference)
    if reference is not None and not 0 <= reference < len(paths):
        raise CrennError(f"Reference {reference} is not one of the frames 0 to {len(paths) - 1}.")
    found = gather(paths, names, instructions.seconds, kinds or [None] * len(paths), progress.part(0.0, 0.3))
    if reference is not None and reference not in found.indices:
        raise MismatchedFrames(
            "The reference frame cannot be merged:", remedy=" ".join(found.aside) or "it is a calibration frame."
        )
    calibration = prepare(found.lights, found.darks, found.flats, found.biases, found.noise[0])
    found.darks, found.flats, found.biases = [], [], []
    groups = _groups(found)
    mode = instructions.mode
    if mode == "auto":
        mode = "stack" if len(groups) == 1 and len(found.lights) >= CLIP_FROM else "bracket"
    if len(found.lights) == 1:
        mode = "single"
    facts = Facts(mode, calibration.notes)
    facts.hot = 0 if calibration.hot is None else int(calibration.hot.sum())
    if mode == "stack":
        merged, first, chosen = _stack(found, calibration, reference, instructions, facts, progress.part(0.3, 0.75))
    else:
        _stack_groups(found, groups, calibration, reference, instructions, progress.part(0.3, 0.45), facts)
        merged, first, chosen = _bracket(found, reference, instructions, facts, progress.part(0.45, 0.75))
    progress.at(0.75, "Rebuilding colour")
    radiance, mended = to_colour(merged, first)
    del merged
    facts.hot += mended
    radiance.moved, radiance.ground = facts.moved, facts.ground
    if instructions.borders == "common" and facts.common is not None:
        cropped(radiance, facts.common)
    turn_as_held(radiance, first.flip)
    facts.feeds = np.bincount(radiance.source.ravel(), minlength=len(found.lights)) / radiance.source.size
    table = np.array(found.indices, np.uint8)
    radiance.source = table[radiance.source]
    if radiance.moved is not None:
        radiance.moved = np.where(radiance.moved > 0, np.concatenate([[0], table + 1])[radiance.moved], 0).astype(
            np.uint8
        )
    progress.at(0.93, "Measuring the light")
    report = describe(radiance, found, facts, first, chosen)
    report.seconds = round(time.perf_counter() - began, 3)
    radiance.report = report.model_dump()
    progress.at(1.0, "Merged")
    return radiance


def _groups(found: Gathered) -> list[list[int]]:
    """Light frames of equal exposure, by their places; darkest first."""
    ev = np.log2(found.sensitivities)
    out: list[list[int]] = []
    for k in np.argsort(ev, kind="stable").tolist():
        if out and ev[k] - ev[out[-1][0]] < SAME:
            out[-1].append(k)
        else:
            out.append([k])
    return [sorted(g) for g in out]


def _stack(
    found: Gathered,
    calibration: Calibration,
    reference: int | None,
    instructions: Instructions,
    facts: Facts,
    progress: Progress,
) -> tuple[MergedMosaic, RawFrame, int]:
    """Stack all light frames: (mosaic, reference frame, its place)."""
    chosen = found.indices.index(reference) if reference is not None else (len(found.lights) - 1) // 2
    first = found.lights[chosen]
    with Mosaics(len(found.lights), first.mosaic.shape) as mosaics:
        for k, frame in enumerate(found.lights):
            facts.clipped.append(_clipped_share(frame.mosaic, found.clip[k]))
            mosaics.put(k, frame.mosaic)
            let_go(frame.mosaic)
            frame.mosaic = np.empty((0, 0), np.uint16)
        stacked = stack_frames(found, mosaics, calibration, chosen, instructions, progress)
    facts.take_stack(stacked, found)
    found.without(set(range(len(found.lights))) - set(stacked.used))
    return stacked.merged, first, stacked.used.index(chosen)


def _stack_groups(
    found: Gathered,
    groups: list[list[int]],
    calibration: Calibration,
    reference: int | None,
    instructions: Instructions,
    progress: Progress,
    facts: Facts,
) -> None:
    """Calibrate frames, and make one of each group of equal exposures where there are several such frames."""
    gone: set[int] = set()
    shape = found.lights[0].mosaic.shape
    for number, group in enumerate(groups):
        progress.at(number / len(groups), "Stacking equal exposures")
        if len(group) < 3 or len(groups) == 1:
            for k in group:
                apply(found.lights[k], calibration, found.clip[k])
            continue
        part = Gathered(*([getattr(found, n)[k] for k in group] for n in ("lights", "indices", "noise", "clip")))
        keep = part.indices.index(reference) if reference in part.indices else 0
        with Mosaics(len(group), shape) as mosaics:
            for n, frame in enumerate(part.lights):
                mosaics.put(n, frame.mosaic)
                let_go(frame.mosaic)
                frame.mosaic = np.empty((0, 0), np.uint16)
            method = instructions.model_copy(
                update={"method": "auto" if instructions.method == "maximum" else instructions.method}
            )
            stacked = stack_frames(part, mosaics, calibration, keep, method, Progress(), sky=False)
        k = group[keep]
        as_one_frame(stacked, found.lights[k], part, keep)
        found.noise[k], found.clip[k] = part.noise[keep], part.clip[keep]
        gone |= set(group) - {k}
        found.warnings.append(
            f"{found.lights[k].name}: stands for {len(stacked.used)} frames of its exposure, stacked."
        )
        found.aside += stacked.aside
    found.without(gone)


def _default_reference(found: Gathered) -> int:
    """The frame of the middle exposure."""
    order = np.argsort(found.sensitivities, kind="stable")
    return int(order[(len(order) - 1) // 2])


def _bracket(
    found: Gathered, reference: int | None, instructions: Instructions, facts: Facts, progress: Progress
) -> tuple[MergedMosaic, RawFrame, int]:
    """Merge frames of several exposures: (mosaic, reference frame, its place)."""
    chosen = found.indices.index(reference) if reference is not None else _default_reference(found)
    alignments = [Alignment()] * len(found.lights)
    if instructions.align and len(found.lights) > 1:
        chosen, alignments = _aligned(found, chosen, reference is not None, progress.part(0.0, 0.3))
    shares = [_clipped_share(f.mosaic, c) for f, c in zip(found.lights, found.clip)]
    first = found.lights[chosen]
    facts.clipped = shares
    facts.shifts, facts.turns = [a.shift for a in alignments], [a.turn for a in alignments]
    facts.errors = [a.error for a in alignments]
    spreads = _lay_over(found, alignments, facts, progress.part(0.3, 0.62))
    progress.at(0.63, "Comparing exposures")
    ratios = _ratios(found)
    gains = np.array([r.refined for r in ratios])
    gains /= gains[chosen]
    facts.gains, facts.nominal = gains, np.array([r.nominal for r in ratios]) / ratios[chosen].nominal
    facts.ratio_errors = [r.error for r in ratios]
    blacks = np.stack([f.black for f in found.lights])
    whites = np.array([f.white for f in found.lights], np.float32)
    stack = np.empty((len(found.lights), *first.mosaic.shape), np.uint16)
    for k, frame in enumerate(found.lights):
        stack[k] = frame.mosaic
        # One after the other: both together would take twice the memory.
        frame.mosaic = frame.mosaic[:0].copy()
    motion: Motion | None = None
    if instructions.deghost and len(found.lights) > 1:
        progress.at(0.68, "Finding what moved")
        own = instructions
        if instructions.strokes or instructions.choices:
            own = instructions.model_copy(
                update={
                    "strokes": as_on_sensor(instructions.strokes, first.flip),
                    "choices": _choices_on_sensor(instructions, first.flip),
                }
            )
        motion = find_motion(
            stack,
            gains,
            first.pattern,
            blacks,
            whites,
            found.clip,
            found.noise,
            chosen,
            [a.mesh is not None for a in alignments],
            own,
            [f.name for f in found.lights],
        )
        facts.take_motion(motion, found)
        full = np.repeat(np.repeat(motion.moved, CELL, 0), CELL, 1)
        height, width = stack.shape[1:]
        facts.moved = np.pad(full, ((0, height - full.shape[0]), (0, width - full.shape[1])), mode="edge")
    progress.at(0.85, "Merging light")
    merged = combine(
        stack,
        gains,
        first.pattern,
        blacks,
        whites,
        np.array(found.clip, np.float32),
        found.noise,
        motion.share if motion else None,
        spreads,
    )
    return merged, first, chosen


def _choices_on_sensor(instructions: Instructions, flip: int):
    turned = {3: lambda c: (1 - c.x, 1 - c.y), 5: lambda c: (1 - c.y, c.x), 6: lambda c: (c.y, 1 - c.x)}.get(flip)
    if turned is None:
        return instructions.choices
    return [c.model_copy(update=dict(zip("xy", turned(c)))) for c in instructions.choices]


def _aligned(found: Gathered, chosen: int, asked: bool, progress: Progress) -> tuple[int, list[Alignment]]:
    """Align all frames and drop those that do not fit: (place of the reference, alignments)."""

    def attempt(place: int) -> list[Alignment]:
        gains = found.sensitivities / found.sensitivities[place]
        return align(found.lights, found.noise, found.clip, gains, place, progress)

    alignments = attempt(chosen)
    count = len(alignments)
    wrong = sum(a.fault is not None for a in alignments)
    if count >= 3 and not asked and wrong * 2 > count - 1:
        # Nearly all others disagree with the reference frame: it may be the odd one itself.
        order = np.argsort(found.sensitivities, kind="stable").tolist()
        place = order[(order.index(chosen) + 1) % count]
        second = attempt(place)
        if sum(a.fault is not None for a in second) < wrong:
            chosen, alignments = place, second
    for a, frame in zip(alignments, found.lights):
        if a.fault:
            found.aside.append(f"{frame.name}: {a.fault} It was left out.")
    gone = {k for k, a in enumerate(alignments) if a.fault}
    kept = [a for a in alignments if not a.fault]
    chosen -= sum(k < chosen for k in gone)
    found.without(gone)
    return chosen, kept


def _lay_over(
    found: Gathered, alignments: list[Alignment], facts: Facts, progress: Progress
) -> list[np.ndarray | None]:
    """Move frames over the reference frame, in place; what that does to their noise."""
    if not any(a.mesh for a in alignments):
        return [None] * len(alignments)
    first = found.lights[0]
    votes = np.zeros(first.mosaic.shape, np.uint8)
    # Hot sites show most in the brightest frames.
    for k in np.argsort(found.sensitivities)[-3:]:
        frame, noise = found.lights[k], found.noise[k]
        span = float(frame.white - frame.black[1])
        count_hot(
            frame.mosaic,
            np.float32(frame.black[1]),
            np.float32(np.sqrt(noise.offset[1]) * span),
            np.float32(noise.slope[1] * span),
            votes,
        )
    # A hot site stays where it is while the picture moves: two frames that agree on it are enough.
    hot = votes >= 2
    facts.hot += int(hot.sum())
    spreads: list[np.ndarray | None] = []
    darkest = int(np.argmin(found.sensitivities))
    box = [0, 0, first.mosaic.shape[1], first.mosaic.shape[0]]
    for k, (frame, a) in enumerate(zip(found.lights, alignments)):
        progress.at(k / len(alignments), f"Laying {frame.name} in place")
        mend_sites(frame.mosaic, hot)
        if a.mesh is None:
            spreads.append(None)
            continue
        size = frame.mosaic.shape
        frame.mosaic, black, white, clip = resample_mosaic(
            frame.mosaic,
            a.mesh,
            frame.pattern,
            frame.black,
            frame.white,
            found.clip[k],
            frame.neutral_gains,
            found.noise[k].slope,
            found.noise[k].offset,
            1 if k == darkest else 3,
        )
        frame.black, frame.white, found.clip[k] = np.full(3, black, np.float32), white, clip
        spreads.append(noise_share(a.mesh, frame.pattern, frame.neutral_gains))
        box = _within(box, a.mesh, size)
    facts.common = tuple(box)
    return spreads


def _within(box: list[int], mesh: Mesh, size: tuple[int, int]) -> list[int]:
    """The part of a box (x, y, width, height) that a moved frame covers, too."""
    x, y, width, height = mesh.covered(size)
    left, top = max(box[0], x), max(box[1], y)
    return [left, top, max(min(box[0] + box[2], x + width) - left, 0), max(min(box[1] + box[3], y + height) - top, 0)]


def _ratios(found: Gathered) -> list[ExposureRatio]:
    """Sensitivity of each frame relative to the darkest, refined link by link from dark to bright."""
    nominal, frames = found.sensitivities, found.lights
    order = np.argsort(nominal, kind="stable")
    out: list[ExposureRatio | None] = [None] * len(frames)
    out[order[0]] = ExposureRatio(1.0, 1.0, 0.0)
    for before, here in itertools.pairwise(order):
        link = measure_ratio(
            frames[before], frames[here], (found.noise[before], found.noise[here]), nominal[here] / nominal[before]
        )
        so_far = out[before]
        error = None if link.error is None else float(np.hypot(link.error, so_far.error or 0.0))
        out[here] = replace(
            link, nominal=nominal[here] / nominal[order[0]], refined=so_far.refined * link.refined, error=error
        )
    return out


def _clipped_share(mosaic: np.ndarray, level: float) -> float:
    """Share of sites at or above a level, from two rows in eight."""
    height, width = mosaic.shape
    return float((mosaic[: height // 8 * 8].reshape(-1, 8, width)[:, :2] >= level).mean())
