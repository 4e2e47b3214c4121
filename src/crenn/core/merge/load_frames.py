"""Reads the frames of a merge and tells light frames from calibration frames and from what does not belong."""

from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from crenn.core.errors import CrennError, MismatchedFrames, UnreadableFrame
from crenn.core.frames.camera_noise import CameraNoise
from crenn.core.frames.kinds import kind_of, look_at
from crenn.core.frames.light import LightFrame, sensitivities
from crenn.core.frames.raw import RawFrame
from crenn.core.frames.read import read_frame
from crenn.core.merge.exposures import saturation_level
from crenn.core.merge.mosaics import fits_in_memory, on_disk, release_pages
from crenn.core.merge.response import linearise
from crenn.core.mosaic.moving import MISSING
from crenn.core.mosaic.noise import NoiseModel, estimate_noise
from crenn.core.progress import Progress

#: Exposures closer than this are equal, in stops.
SAME = 0.15


@dataclass
class Gathered:
    """Frames sorted by what they are for; ``aside`` and ``warnings`` are sentences for the report."""

    lights: list[LightFrame] = field(default_factory=list)
    darks: list[RawFrame] = field(default_factory=list)
    flats: list[RawFrame] = field(default_factory=list)
    biases: list[RawFrame] = field(default_factory=list)
    aside: list[str] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)


def noise_of(frame: RawFrame, models: Sequence[CameraNoise] = ()) -> NoiseModel:
    """A frame's noise model: the one kept for its camera and sensitivity, its file's, else an estimate."""
    kept = next((m for m in models if not frame.developed and m.fits(frame.metadata)), None)
    if kept is not None:
        return kept.noise
    # Places that lie on one code show no noise: what was rounded off is noise all the same.
    return frame.noise or estimate_noise(frame.mosaic, frame.pattern, frame.black, frame.white, frame.rounding)


def _key(frame: RawFrame) -> tuple:
    return (
        frame.mosaic.shape,
        frame.metadata.make,
        frame.metadata.model,
        frame.pattern.tobytes(),
        frame.grey,
    )


def gather(
    paths: Sequence[Path],
    names: Sequence[str],
    seconds: dict[str, float],
    kinds: Sequence[str | None],
    progress: Progress,
    models: Sequence[CameraNoise] = (),
) -> Gathered:
    """Decode frames and sort them.

    Parameters
    ----------
    paths, names : sequence
    seconds : dict
        Exposure times that overrule the files', by name.
    kinds : sequence of str or None
        What the user says a frame is for: light, dark, flat or bias; None leaves it to the frame's content.
    progress : Progress
    models : sequence of CameraNoise
        Noise models that overrule the files'.

    Raises
    ------
    UnreadableFrame
        If no frame can be read.
    MismatchedFrames
        If no light frame is left.
    """
    out = Gathered()
    frames = _read_all(paths, names, out, progress)
    good = [f for f in frames if f is not None]
    _take_times(good, seconds, out)
    for frame in good:
        if frame.white >= MISSING:
            # The highest number marks sites outside a moved frame.
            np.minimum(frame.mosaic, MISSING - 1, out=frame.mosaic)
            frame.white = float(MISSING - 1)
    linearise(good, out.warnings)
    told = sorted({m.iso for m in models if any(not f.developed and m.fits(f.metadata) for f in good)})
    if told:
        out.warnings.append("Noise as fitted for this camera at ISO " + ", ".join(f"{i:.0f}" for i in told) + ".")
    # What most frames share is right; a lone first frame may be the odd one.
    shared = Counter(_key(f) for f in good).most_common(1)[0][0]
    first = next(f for f in good if _key(f) == shared)
    if len({f.flip for f in good if _key(f) == shared}) > 1:
        out.warnings.append(
            "The frames' orientation flags differ; they are merged as they lie on the sensor and turned as "
            "the reference frame."
        )
    # Even frames among pictures are flats; where all are even they are pictures of something even.
    perhaps_flat: list[LightFrame] = []
    for index, read in enumerate(frames):
        if read is None:
            continue
        frame = read
        noise, given = noise_of(frame, models), kinds[index]
        kind = given or _told_by_content(frame, noise)
        if kind in ("dark", "bias") or given == "flat":
            # Sizes of calibration frames are judged where they are used, with a sentence of their own.
            {"dark": out.darks, "bias": out.biases, "flat": out.flats}[kind].append(frame)
        elif misfit := _misfit(frame, first, alone=len(good) == 1):
            out.aside.append(f"{frame.name}: {misfit}")
        else:
            light = LightFrame.of(frame, index, noise, saturation_level(frame))
            out.lights.append(light)
            if kind == "flat":
                perhaps_flat.append(light)
            release_pages(light.mosaic)
            continue
        release_pages(frame.mosaic)
    _settle_flats(out, perhaps_flat)
    if not out.lights and out.darks and len(good) == len(out.darks) + len(out.biases):
        _take_darkness(out, frames, shared, models)
    if _no_dark_frames(out):
        for frame in out.darks + out.biases:
            out.aside.append(f"{frame.name}: shows nothing but noise, as with the lens cap on.")
        out.darks, out.biases = [], []
    if not out.lights:
        raise MismatchedFrames("No frame can be merged:", remedy=" ".join(out.aside))
    return out


def _read_all(paths: Sequence[Path], names: Sequence[str], out: Gathered, progress: Progress) -> list[RawFrame | None]:
    """Decode all files; None for one that cannot be, which is told."""

    def read(path: Path, name: str) -> RawFrame | CrennError:
        try:
            return read_frame(path, name)
        except UnreadableFrame as fault:
            return fault

    frames: list[RawFrame | None] = []
    faults: list[CrennError] = []
    with ThreadPoolExecutor(2) as pool:
        for index, frame in enumerate(pool.map(read, paths, names)):
            if isinstance(frame, CrennError):
                faults.append(frame)
                frames.append(None)
            else:
                if not fits_in_memory(len(paths), frame.mosaic):
                    frame.mosaic = on_disk(frame.mosaic)
                    release_pages(frame.mosaic)
                if frame.planes is not None and not fits_in_memory(len(paths), frame.planes):
                    frame.planes = on_disk(frame.planes)
                    release_pages(frame.planes)
                frames.append(frame)
            progress.at((index + 1) / len(paths), f"Reading {names[index]}")
    if len(faults) == len(frames):
        raise faults[0]
    out.aside += [f"{fault} The others were merged without it." for fault in faults]
    return frames


def _take_times(frames: Sequence[RawFrame], seconds: dict[str, float], out: Gathered) -> None:
    """Take exposure times as typed in."""
    typed = [f for f in frames if f.name in seconds]
    for frame in typed:
        frame.metadata = replace(frame.metadata, seconds=seconds[frame.name])
    if typed:
        out.warnings.append("Exposure times as typed in: " + ", ".join(f.name for f in typed) + ".")


def _told_by_content(frame: RawFrame, noise: NoiseModel) -> str:
    content = look_at(frame.mosaic, frame.pattern, frame.black, frame.white)
    return kind_of(content, frame.metadata.seconds, lambda: float(np.sqrt(noise.offset[1])))


def _misfit(frame: RawFrame, first: RawFrame, alone: bool) -> str | None:
    """Why a frame cannot be merged with the others, or None."""
    if frame.mosaic.shape != first.mosaic.shape:
        sizes = [f"{f.mosaic.shape[1]}×{f.mosaic.shape[0]}" for f in (frame, first)]
        return f"is {sizes[0]}, while {first.name} is {sizes[1]}. Merge it on its own."
    camera = (frame.metadata.make, frame.metadata.model)
    if camera != (first.metadata.make, first.metadata.model):
        named = " ".join(camera).strip() or "unnamed"
        return f"comes from another camera ({named}) than {first.name}. Merge it on its own."
    if frame.grey != first.grey:
        which = "has one channel" if frame.grey else "has colour"
        return f"{which}, unlike {first.name}. Merge it on its own."
    if not np.array_equal(frame.pattern, first.pattern):
        return f"its mosaic begins at another colour than that of {first.name}."
    if frame.metadata.sensitivity is None and not alone:
        return "has no exposure time, so it cannot be merged. Type it in, or leave the frame out."
    return None


def _take_darkness(
    out: Gathered, frames: Sequence[RawFrame | None], shared: tuple, models: Sequence[CameraNoise]
) -> None:
    """Nothing but darkness: then it is the picture."""
    darks, out.darks = out.darks, []
    for index, frame in enumerate(frames):
        if frame is not None and any(frame is d for d in darks) and _key(frame) == shared:
            out.lights.append(LightFrame.of(frame, index, noise_of(frame, models), saturation_level(frame)))


def _settle_flats(out: Gathered, even: list[LightFrame]) -> None:
    """Even frames among uneven ones are flats; where all frames are even they are pictures."""
    # Flats are shot in another light: where their exposures continue the pictures' bracket they belong to it.
    if not even or len(even) * 2 >= len(out.lights) or _same_moment(out.lights, even):
        return
    out.lights = [f for f in out.lights if not any(f is e for e in even)]
    out.flats += [replace(f.raw, mosaic=f.mosaic) for f in even]


def _same_moment(lights: list[LightFrame], even: list[LightFrame]) -> bool:
    """Whether even frames were taken within the pictures' own time."""
    uneven = [f for f in lights if not any(f is e for e in even)]
    times = [f.metadata.taken for f in uneven if f.metadata.taken is not None]
    if not times or len(times) < len(uneven):
        return True
    longest = max(f.metadata.seconds or 0.0 for f in lights)
    for frame in even:
        taken = frame.metadata.taken
        if taken is None or min(abs((taken - t).total_seconds()) for t in times) <= longest + 15.0:
            return True
    return False


def _no_dark_frames(out: Gathered) -> bool:
    """Whether frames without light are part of a bracket, whose steps they continue, rather than dark frames."""
    ev = np.log2(sensitivities(out.lights)) if out.lights else np.zeros(1)
    return len(out.lights) > 0 and ev.max() - ev.min() > SAME and len(out.darks) + len(out.biases) == 1
