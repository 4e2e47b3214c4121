"""Reads the frames of a merge and tells light frames from calibration frames and from what does not belong."""

from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from crenn.core.align.resample import MISSING
from crenn.core.errors import CrennError, MismatchedFrames, UnreadableFrame
from crenn.core.frames.kinds import kind_of, look_at
from crenn.core.frames.raw import RawFrame
from crenn.core.frames.read import read_frame
from crenn.core.merge.exposures import saturation_level
from crenn.core.merge.mosaics import fits_in_memory, let_go, on_disk
from crenn.core.merge.response import linearise
from crenn.core.noise.model import NoiseModel, estimate_noise
from crenn.core.progress import Progress

#: Exposures closer than this are equal, in stops.
SAME = 0.15


@dataclass
class Gathered:
    """Frames sorted by what they are for.

    ``indices`` are those of the light frames among all; ``aside`` and ``warnings`` are sentences for the report.
    """

    lights: list[RawFrame] = field(default_factory=list)
    indices: list[int] = field(default_factory=list)
    noise: list[NoiseModel] = field(default_factory=list)
    clip: list[float] = field(default_factory=list)
    darks: list[RawFrame] = field(default_factory=list)
    flats: list[RawFrame] = field(default_factory=list)
    biases: list[RawFrame] = field(default_factory=list)
    aside: list[str] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)

    @property
    def sensitivities(self) -> np.ndarray:
        """Light recorded per radiance, as the files tell, float64 (K,)."""
        return np.array([f.metadata.sensitivity or 1.0 for f in self.lights])

    def without(self, gone: set[int]) -> None:
        """Drop light frames by their places in ``lights``."""
        for name in ("lights", "indices", "noise", "clip"):
            setattr(self, name, [v for i, v in enumerate(getattr(self, name)) if i not in gone])


def _key(frame: RawFrame) -> tuple:
    return (frame.mosaic.shape, frame.metadata.make, frame.metadata.model, frame.pattern.tobytes(), frame.grey)


def gather(
    paths: Sequence[Path],
    names: Sequence[str],
    seconds: dict[str, float],
    kinds: Sequence[str | None],
    progress: Progress,
    may_be_calibration: bool = True,
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
    may_be_calibration : bool
        Whether frames without light among the others can be dark frames. In a bracket they cannot: there they are
        frames with the lens cap on.

    Raises
    ------
    UnreadableFrame
        If a frame is foreign or damaged.
    MismatchedFrames
        If no light frame is left.
    """
    out = Gathered()

    def read(path: Path, name: str) -> RawFrame | CrennError:
        try:
            return read_frame(path, name)
        except UnreadableFrame as fault:
            return fault

    frames: list[RawFrame | CrennError] = []
    with ThreadPoolExecutor(2) as pool:
        for index, frame in enumerate(pool.map(read, paths, names)):
            if isinstance(frame, RawFrame) and not fits_in_memory(len(paths), frame.mosaic):
                frame.mosaic = on_disk(frame.mosaic)
                let_go(frame.mosaic)
            frames.append(frame)
            progress.at((index + 1) / len(paths), f"Reading {names[index]}")
    faults = [f for f in frames if isinstance(f, CrennError)]
    if len(faults) == len(frames):
        raise faults[0]
    out.aside += [f"{f} The others were merged without it." for f in faults]
    good = [f for f in frames if isinstance(f, RawFrame)]
    typed = [f.name for f in good if f.name in seconds]
    for f in good:
        if f.name in seconds:
            f.metadata = replace(f.metadata, seconds=seconds[f.name])
    if typed:
        out.warnings.append("Exposure times as typed in: " + ", ".join(typed) + ".")
    for f in good:
        if f.white >= MISSING:
            # The highest number marks sites outside a moved frame.
            np.minimum(f.mosaic, MISSING - 1, out=f.mosaic)
            f.white = float(MISSING - 1)
    linearise(good, out.warnings)
    # What most frames share is right; a lone first frame may be the odd one.
    first_key = Counter(_key(f) for f in good).most_common(1)[0][0]
    first = next(f for f in good if _key(f) == first_key)
    flips = {f.flip for f in good if _key(f) == first_key}
    if len(flips) > 1:
        out.warnings.append(
            "The frames' orientation flags differ; they are merged as they lie on the sensor and turned as "
            "the reference frame."
        )
    for index, frame in enumerate(frames):
        if isinstance(frame, CrennError):
            continue
        noise = frame.noise or estimate_noise(frame.mosaic, frame.pattern, frame.black, frame.white)
        kind = kinds[index]
        if kind is None:
            content = look_at(frame.mosaic, frame.pattern, frame.black, frame.white)
            kind = kind_of(content, frame.metadata.seconds, float(np.sqrt(noise.offset[1])))
            if kind == "flat":
                # Even frames among pictures are flats; where all are even they are pictures of something even.
                kind = "flat?"
        camera = (frame.metadata.make, frame.metadata.model)
        if kind in ("dark", "bias", "flat"):
            # Sizes of calibration frames are judged where they are used, with a sentence of their own.
            {"dark": out.darks, "bias": out.biases, "flat": out.flats}[kind].append(frame)
            continue
        if frame.mosaic.shape != first.mosaic.shape:
            sizes = [f"{f.mosaic.shape[1]}×{f.mosaic.shape[0]}" for f in (frame, first)]
            out.aside.append(f"{frame.name}: is {sizes[0]}, while {first.name} is {sizes[1]}. Merge it on its own.")
        elif camera != (first.metadata.make, first.metadata.model):
            out.aside.append(
                f"{frame.name}: comes from another camera ({' '.join(camera).strip() or 'unnamed'}) than "
                f"{first.name}. Merge it on its own."
            )
        elif frame.grey != first.grey:
            which = "has one channel" if frame.grey else "has colour"
            out.aside.append(f"{frame.name}: {which}, unlike {first.name}. Merge it on its own.")
        elif not np.array_equal(frame.pattern, first.pattern):
            out.aside.append(f"{frame.name}: its mosaic begins at another colour than that of {first.name}.")
        elif frame.metadata.sensitivity is None and len(good) > 1:
            out.aside.append(
                f"{frame.name}: has no exposure time, so it cannot be merged. Type it in, or leave the frame out."
            )
        else:
            out.lights.append(frame)
            out.indices.append(index)
            out.noise.append(noise)
            out.clip.append(saturation_level(frame))
            if kind == "flat?":
                out.flats.append(frame)
        let_go(frame.mosaic)
    _settle_flats(out)
    if not out.lights and out.darks and len(good) == len(out.darks) + len(out.biases):
        # Nothing but darkness: then it is the picture.
        out.lights, out.darks = [f for f in out.darks if _key(f) == first_key], []
        out.indices = [i for i, f in enumerate(frames) if any(f is v for v in out.lights)]
        out.noise = [f.noise or estimate_noise(f.mosaic, f.pattern, f.black, f.white) for f in out.lights]
        out.clip = [saturation_level(f) for f in out.lights]
    if (out.darks and not may_be_calibration) or _no_dark_frames(out):
        for f in out.darks + out.biases:
            out.aside.append(f"{f.name}: shows nothing but noise, as with the lens cap on.")
        out.darks, out.biases = [], []
    if not out.lights:
        raise MismatchedFrames("No frame can be merged:", remedy=" ".join(out.aside))
    return out


def _settle_flats(out: Gathered) -> None:
    """Even frames among uneven ones are flats; where all frames are even they are pictures."""
    even = [i for i, f in enumerate(out.lights) if any(f is v for v in out.flats)]
    given = [f for f in out.flats if not any(f is v for v in out.lights)]
    # Flats are shot in another light: where their exposures continue the pictures' bracket they belong to it.
    if not even or len(even) * 2 >= len(out.lights) or _same_moment(out, even):
        out.flats = given
        return
    out.flats = given + [out.lights[i] for i in even]
    out.without(set(even))


def _same_moment(out: Gathered, even: list[int]) -> bool:
    """Whether even frames were taken within the pictures' own time."""
    times = [f.metadata.taken for i, f in enumerate(out.lights) if i not in even]
    if any(t is None for t in times) or not times:
        return True
    longest = max(f.metadata.seconds or 0.0 for f in out.lights)
    for i in even:
        taken = out.lights[i].metadata.taken
        if taken is None or min(abs((taken - t).total_seconds()) for t in times) <= longest + 15.0:
            return True
    return False


def _no_dark_frames(out: Gathered) -> bool:
    """Whether frames without light are part of a bracket, whose steps they continue, rather than dark frames."""
    ev = np.log2(out.sensitivities) if out.lights else np.zeros(1)
    return len(out.lights) > 0 and ev.max() - ev.min() > SAME and len(out.darks) + len(out.biases) == 1
