"""Raw frames in, one radiance map out."""

import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from crenn.core.errors import CrennError, MismatchedFrames
from crenn.core.frames.raw import RawFrame, read_raw
from crenn.core.merge.clipped import rebuild_clipped
from crenn.core.merge.combine import combine
from crenn.core.merge.demosaic import demosaic
from crenn.core.merge.exposures import ExposureRatio, measure_ratio, saturation_level
from crenn.core.merge.ghosts import still_share
from crenn.core.merge.hot import mend_hot
from crenn.core.merge.report import HORIZON_SNR, FrameReport, MergeReport, light_statistics
from crenn.core.noise.model import NoiseModel, estimate_noise
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap

#: More frames than this do not fit the source channel, nor a bracket.
MAX_FRAMES = 64


def _check_together(frames: list[RawFrame]) -> tuple[list[int], list[str]]:
    """Indices of the frames that can be merged with the first, and why the others cannot."""
    keep, aside = [], []
    first = frames[0]
    for index, frame in enumerate(frames):
        camera = (frame.metadata.make, frame.metadata.model)
        if frame.mosaic.shape != first.mosaic.shape:
            sizes = [f"{f.mosaic.shape[1]}×{f.mosaic.shape[0]}" for f in (frame, first)]
            aside.append(f"{frame.name}: is {sizes[0]}, while {first.name} is {sizes[1]}. Merge it on its own.")
        elif camera != (first.metadata.make, first.metadata.model):
            aside.append(f"{frame.name}: comes from another camera ({' '.join(camera).strip() or 'unnamed'}) than "
                         f"{first.name}. Merge it on its own.")
        elif not np.array_equal(frame.pattern, first.pattern):
            aside.append(f"{frame.name}: its mosaic begins at another colour than that of {first.name}.")
        elif frame.metadata.sensitivity is None and len(frames) > 1:
            aside.append(f"{frame.name}: has no exposure time, so it cannot be merged. Type it in, or leave the "
                         "frame out.")
        else:
            keep.append(index)
    return keep, aside


def _ratios(frames: list[RawFrame], noise: list[NoiseModel]) -> list[ExposureRatio]:
    """Sensitivity of each frame relative to the darkest, refined link by link from dark to bright."""
    nominal = [f.metadata.sensitivity or 1.0 for f in frames]
    order = np.argsort(nominal, kind="stable")
    out: list[ExposureRatio | None] = [None] * len(frames)
    out[order[0]] = ExposureRatio(1.0, 1.0, 0.0)
    for before, here in zip(order[:-1], order[1:]):
        link = measure_ratio(frames[before], frames[here], (noise[before], noise[here]),
                             nominal[here] / nominal[before])
        so_far = out[before]
        error = None if link.error is None else float(np.hypot(link.error, so_far.error or 0.0))
        out[here] = ExposureRatio(nominal[here] / nominal[order[0]], so_far.refined * link.refined, error)
    return out


def _default_reference(frames: list[RawFrame]) -> int:
    """The frame of the middle exposure."""
    order = sorted(range(len(frames)), key=lambda i: frames[i].metadata.sensitivity or 1.0)
    return order[(len(order) - 1) // 2]


def decode(paths: Sequence[Path], names: Sequence[str], progress: Progress) -> list[RawFrame]:
    """Decode frames, two at a time."""
    frames = []
    with ThreadPoolExecutor(2) as pool:
        for index, frame in enumerate(pool.map(read_raw, paths, names)):
            frames.append(frame)
            progress.at((index + 1) / len(paths), f"Reading {frame.name}")
    return frames


def merge_frames(paths: Sequence[Path], reference: int | None = None, progress: Progress | None = None,
                 names: Sequence[str] | None = None, deghost: bool = True) -> RadianceMap:
    """Merge raw frames shot from a tripod into one radiance map.

    Parameters
    ----------
    paths : sequence of Path
        One frame or more, in any order.
    reference : int, optional
        Index into ``paths`` of the frame whose saturation is 1.0 and whose white balance is kept; the middle
        exposure by default.
    progress : Progress, optional
    names : sequence of str, optional
        What the user calls the frames; their files' names by default.
    deghost : bool
        Whether what moved between the frames is taken from one of them.

    Raises
    ------
    UnreadableFrame
        If a frame is foreign or damaged.
    MismatchedFrames
        If the reference frame cannot be merged, or no frame is left.
    """
    began = time.perf_counter()
    progress = progress or Progress()
    if not paths:
        raise MismatchedFrames("No frames to merge.", remedy="Choose at least one raw file.")
    if len(paths) > MAX_FRAMES:
        raise MismatchedFrames(f"{len(paths)} frames are too many for one merge;", remedy=f"use up to {MAX_FRAMES}.")
    if reference is not None and not 0 <= reference < len(paths):
        raise CrennError(f"Reference {reference} is not one of the frames 0 to {len(paths) - 1}.")
    names = list(names or (Path(p).name for p in paths))
    frames = decode(paths, names, progress.part(0.0, 0.35))
    kept, aside = _check_together(frames)
    if not kept:
        raise MismatchedFrames("No frame can be merged:", remedy=" ".join(aside))
    if reference is not None and reference not in kept:
        raise MismatchedFrames("The reference frame cannot be merged:", remedy=" ".join(aside))
    frames = [frames[i] for i in kept]
    reference_kept = kept.index(reference) if reference is not None else _default_reference(frames)

    progress.at(0.36, "Comparing exposures")
    noise = [f.noise or estimate_noise(f.mosaic, f.pattern, f.black, f.white) for f in frames]
    clip = [saturation_level(f) for f in frames]
    ratios = _ratios(frames, noise)
    gains = np.array([r.refined for r in ratios])
    gains /= gains[reference_kept]
    nominal = np.array([r.nominal for r in ratios]) / ratios[reference_kept].nominal

    first = frames[reference_kept]
    stack = np.stack([f.mosaic for f in frames]) if len(frames) > 1 else frames[0].mosaic[None]
    shares = [_clipped_share(f.mosaic, c) for f, c in zip(frames, clip)]
    blacks = np.stack([f.black for f in frames])
    whites = np.array([f.white for f in frames], np.float32)
    for frame in frames:
        frame.mosaic = frame.mosaic[:0]
    still = None
    if deghost and len(frames) > 1:
        progress.at(0.5, "Finding what moved")
        still = still_share(stack, gains, first.pattern, blacks, whites, clip, noise, reference_kept)
    progress.at(0.58, "Merging light")
    merged = combine(stack, gains, first.pattern, blacks, whites, np.array(clip, np.float32), noise, still)
    del stack
    progress.at(0.65, "Rebuilding colour")
    radiance, mended = _to_colour(merged, first)
    _turn_as_held(radiance, first.flip)
    feeds = np.bincount(radiance.source.ravel(), minlength=len(frames)) / radiance.source.size
    radiance.source = np.array(kept, np.uint8)[radiance.source]

    progress.at(0.9, "Measuring the light")
    height, width = radiance.shape
    step = max(1, int(np.sqrt(height * width / 1.5e6)))
    statistics = light_statistics(radiance.rgb, radiance.sigma, radiance.clipped, step)
    reports = []
    for i, frame in enumerate(frames):
        ev = float(np.log2(gains[i]))
        slope, offset = float(noise[i].slope[1]), float(noise[i].offset[1])
        # x / sqrt(S x + O) = 4 solved for x.
        floor = (HORIZON_SNR**2 * slope + np.sqrt(HORIZON_SNR**4 * slope**2 + 4 * HORIZON_SNR**2 * offset)) / 2
        level = (clip[i] - frame.black[1]) / (frame.white - frame.black[1])
        reports.append(FrameReport(
            name=frame.name, seconds=frame.metadata.seconds, aperture=frame.metadata.aperture, iso=frame.metadata.iso,
            ev=ev, nominal_ev=float(np.log2(nominal[i])), ev_error=ratios[i].error,
            clip_stop=float(np.log2(level)) - ev, noise_stop=float(np.log2(floor)) - ev, clipped_share=shares[i],
            feeds=float(feeds[i])))
    radiance.report = MergeReport(
        reference=kept[reference_kept], width=width, height=height, frames=reports, set_aside=aside,
        hot_pixels=mended, source_indices=kept, as_shot=list(first.as_shot),
        warnings=_warnings(frames, ratios, shares),
        clipped_share=[float((radiance.clipped[::step, ::step] & bit > 0).mean()) for bit in (1, 2, 4)],
        seconds=round(time.perf_counter() - began, 3), **statistics).model_dump()
    progress.at(1.0, "Merged")
    return radiance


def _clipped_share(mosaic: np.ndarray, level: float) -> float:
    """Share of sites at or above a level, from two rows in eight."""
    height, width = mosaic.shape
    return float((mosaic[: height // 8 * 8].reshape(-1, 8, width)[:, :2] >= level).mean())


def _to_colour(merged, frame: RawFrame) -> tuple[RadianceMap, int]:
    """White balance, mending, rebuilding of clipped sites and demosaic of a merged mosaic; sites mended."""
    height, width = merged.light.shape
    for row in range(2):
        for column in range(2):
            gain = frame.neutral_gains[frame.pattern[row, column]]
            merged.light[row::2, column::2] *= gain
            merged.variance[row::2, column::2] *= gain * gain
    mended = mend_hot(merged.light, merged.variance)
    even = (slice(height // 2 * 2), slice(width // 2 * 2))
    rebuild_clipped(merged.light[even], merged.clipped[even], frame.pattern)
    # A place's colours may come from different frames near saturation; green, half of all sites, speaks for it.
    for row in range(2):
        green = int(frame.pattern[row, 1] == 1)
        of_green = merged.source[row::2, green::2]
        other = merged.source[row::2, 1 - green::2]
        width_shared = min(other.shape[1], of_green.shape[1])
        other[:, :width_shared] = of_green[:, :width_shared]
    rgb, sigma = demosaic(merged.light, merged.variance, frame.pattern, frame.to_rec2020)
    clipped = np.zeros((height, width), np.uint8)
    for row in range(2):
        for column in range(2):
            bit = np.uint8(1 << frame.pattern[row, column])
            site = merged.clipped[row::2, column::2]
            for y in range(2):
                for x in range(2):
                    block = clipped[y::2, x::2]
                    h, w = min(block.shape[0], site.shape[0]), min(block.shape[1], site.shape[1])
                    block[:h, :w] |= np.where(site[:h, :w], bit, 0).astype(np.uint8)
    return RadianceMap(rgb, sigma, merged.source, clipped), mended


def _turn_as_held(radiance: RadianceMap, flip: int) -> None:
    """Turn the map as the camera was held; ``flip`` is LibRaw's."""
    turns = {0: 0, 3: 2, 5: 1, 6: 3}.get(flip, 0)
    if turns:
        for name in ("rgb", "sigma", "source", "clipped"):
            setattr(radiance, name, np.ascontiguousarray(np.rot90(getattr(radiance, name), turns)))


def _warnings(frames, ratios, shares) -> list[str]:
    out = []
    for frame, ratio, share in zip(frames, ratios, shares):
        off = np.log2(ratio.refined / ratio.nominal)
        if abs(off) > 0.25:
            out.append(f"{frame.name}: was exposed {off:+.2f} EV off what its file tells; the measured value is used.")
        if ratio.error is None:
            out.append(f"{frame.name}: shares too little well-exposed light with the next darker frame to check its "
                       "exposure; the file's value is used.")
        if frame.developed:
            out.append(f"{frame.name}: its sensor has no Bayer mosaic; LibRaw's demosaic comes before the merge, and the "
                       "predicted noise is only roughly right.")
        if share > 0.98:
            out.append(f"{frame.name}: is clipped nearly everywhere and adds little.")
    if len(frames) > 1 and max(r.nominal for r in ratios) < 1.1 * min(r.nominal for r in ratios):
        out.append("All frames have the same exposure: they are averaged, and reach no further into lights or shadows.")
    return out
