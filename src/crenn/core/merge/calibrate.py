"""Dark, bias and flat frames taken off the light frames, and hot pixels found and mended."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import cv2
import numba as nb
import numpy as np

from crenn.core.frames.light import LightFrame
from crenn.core.frames.raw import RawFrame
from crenn.core.mosaic.bayer import sites
from crenn.core.mosaic.noise import NoiseModel

#: Indices of rows, which are never meant from the end.
_2 = np.uint64(2)
#: A site of the master dark frame is hot from this many deviations of a single frame's noise.
_HOT = 8.0
#: Thermal light of the sensor changes over this many pixels at the least.
_GLOW = 48


@dataclass
class Calibration:
    """What is taken off every light frame.

    Attributes
    ----------
    dark : ndarray, float32 (H, W) or None
        Raw numbers above black; mostly zero.
    dark_seconds, dark_iso : float
        Exposure it belongs to.
    flat : ndarray, float32 (H, W) or None
        Relative sensitivity of each site, 1 in the mean of its colour.
    hot : ndarray, bool (H, W) or None
    notes : list of str
        What was used, and what was not and why.
    """

    dark: np.ndarray | None = None
    dark_seconds: float = 0.0
    dark_iso: float = 0.0
    flat: np.ndarray | None = None
    hot: np.ndarray | None = None
    notes: list[str] = field(default_factory=list)


def _names(frames: Sequence[RawFrame]) -> str:
    return frames[0].name if len(frames) == 1 else f"{frames[0].name} and {len(frames) - 1} more"


def master_frames(
    lights: Sequence[LightFrame],
    darks: Sequence[RawFrame] = (),
    flats: Sequence[RawFrame] = (),
    biases: Sequence[RawFrame] = (),
) -> Calibration:
    """Make master frames for a set of light frames.

    Dark frames must match the light frames' size, ISO and exposure time (within a tenth; with bias frames any time, as
    dark current grows with it). A master of few dark frames is itself noisy: each site only keeps what stands out of
    that noise (shrinkage after James and Stein 1961), over the slowly changing glow.

    Parameters
    ----------
    lights : sequence of LightFrame
    darks, flats, biases : sequence of RawFrame
    """
    first = lights[0]
    noise = first.noise
    out = Calibration()

    def fitting(frames, what: str, dark: bool) -> list[RawFrame]:
        good = []
        for f in frames:
            if f.mosaic.shape != first.mosaic.shape or not np.array_equal(f.pattern, first.pattern):
                out.notes.append(
                    f"{f.name}: this {what} frame is {f.mosaic.shape[1]}×{f.mosaic.shape[0]}, the pictures are "
                    f"{first.mosaic.shape[1]}×{first.mosaic.shape[0]}; it is not used."
                )
            elif dark and abs(np.log2(f.metadata.iso / first.metadata.iso)) > 0.1:
                out.notes.append(
                    f"{f.name}: this {what} frame was taken at ISO {f.metadata.iso:.0f}, the pictures at ISO "
                    f"{first.metadata.iso:.0f}; it is not used."
                )
            else:
                good.append(f)
        return good

    biases = fitting(biases, "bias", True)
    master_bias = _shrunk(biases, noise) if biases else None
    usable = []
    seconds = max((f.metadata.seconds or 0.0) for f in lights)
    for f in fitting(darks, "dark", True):
        own = f.metadata.seconds or 0.0
        if master_bias is None and abs(np.log2(max(own, 1e-6) / max(seconds, 1e-6))) > 0.15:
            out.notes.append(
                f"{f.name}: this dark frame was exposed for {own:g} s, the pictures for {seconds:g} s; it only "
                "serves to find hot pixels."
            )
            _find_hot(out, [f], noise)
        else:
            usable.append(f)
    if usable:
        out.dark = _shrunk(usable, noise)
        out.dark_seconds, out.dark_iso = usable[0].metadata.seconds or seconds, usable[0].metadata.iso
        if master_bias is not None and out.dark_seconds > 0:
            out.dark = (out.dark - master_bias) * np.float32(seconds / out.dark_seconds) + master_bias
            out.dark_seconds = seconds
        _find_hot(out, usable, noise)
        out.notes.append(f"Dark frames taken off: {_names(usable)}.")
    elif master_bias is not None:
        out.dark, out.dark_seconds = master_bias, 0.0
        out.notes.append(f"Bias frames taken off: {_names(biases)}.")
    flats = fitting(flats, "flat", False)
    if flats:
        out.flat = _flat(flats)
        out.notes.append(f"Divided by flat frames: {_names(flats)}.")
    return out


def _mean(frames: Sequence[RawFrame]) -> np.ndarray:
    """Mean above black; from four frames on without each site's highest value, a passing cosmic ray, and its lowest."""
    total = np.zeros(frames[0].mosaic.shape, np.float32)
    highest, lowest = np.full(total.shape, -np.inf, np.float32), np.full(total.shape, np.inf, np.float32)
    for f in frames:
        value = f.mosaic.astype(np.float32)
        for c, where in sites(f.pattern):
            value[where] -= f.black[c]
        total += value
        np.maximum(highest, value, out=highest)
        np.minimum(lowest, value, out=lowest)
    if len(frames) >= 4:
        return (total - highest - lowest) / np.float32(len(frames) - 2)
    return total / np.float32(len(frames))


def _read_noise(frame: RawFrame, noise: NoiseModel | None) -> float:
    """Deviation of a site in the dark, in raw numbers."""
    if noise is not None:
        return float(np.sqrt(noise.offset[1])) * float(frame.white - frame.black[1])
    return 1.4826 * float(np.median(np.abs(np.diff(frame.mosaic[::2, ::2].astype(np.float32), axis=1)))) / np.sqrt(2)


def _shrunk(frames: Sequence[RawFrame], noise: NoiseModel | None) -> np.ndarray:
    mean = _mean(frames)
    out = np.zeros_like(mean)
    variance = np.float32(_read_noise(frames[0], noise) ** 2 / len(frames))
    for row in range(2):
        for column in range(2):
            plane = mean[row::2, column::2]
            calm = np.clip(plane, -6 * np.sqrt(variance), 6 * np.sqrt(variance))
            low = cv2.GaussianBlur(calm, (0, 0), _GLOW)
            rest = plane - low
            out[row::2, column::2] = low + rest * np.maximum(1 - 6 * variance / np.maximum(rest * rest, 1e-9), 0)
    return out


def _find_hot(calibration: Calibration, frames: Sequence[RawFrame], noise: NoiseModel | None) -> None:
    hot = _mean(frames) > _HOT * _read_noise(frames[0], noise)
    calibration.hot = hot if calibration.hot is None else calibration.hot | hot


def _flat(flats: Sequence[RawFrame]) -> np.ndarray:
    mean = _mean(flats)
    for row in range(2):
        for column in range(2):
            plane = mean[row::2, column::2]
            # Grain of few flats is noise; fall-off and dust are wide.
            smooth = cv2.GaussianBlur(plane, (0, 0), 2.0)
            mean[row::2, column::2] = smooth / max(float(np.median(smooth)), 1e-6)
    return np.clip(mean, 0.05, 4.0)


@nb.njit(inline="always", error_model="numpy")
def _noise(base, black, noise_floor, slope):
    return np.sqrt(noise_floor * noise_floor + slope * max(base - black, np.float32(0)))


@nb.njit(error_model="numpy")
def _standing_out(above, here, below, black, noise_floor, slope, out):
    """By how much sites of a row stand out: above all others of their colour around but one, and far above their mean.

    0 where they do not.
    """
    zero = np.float32(0)
    for x in range(_2, np.uint64(len(here) - 2)):
        # Highest and second highest of the eight, without asking which is which.
        highest, second, total = zero, zero, zero
        for v in (
            above[x - _2],
            above[x],
            above[x + _2],
            here[x - _2],
            here[x + _2],
            below[x - _2],
            below[x],
            below[x + _2],
        ):
            total += v
            second, highest = max(second, min(highest, v)), max(highest, v)
        base = (total - highest) / np.float32(7)
        excess = here[x] - base
        far = (here[x] > second) & (excess >= np.float32(8) * _noise(base, black, noise_floor, slope))
        out[x] = excess if far else zero


@nb.njit(error_model="numpy")
def _stands_alone(mosaic, y, x, excess, noise):
    """Whether a site that stands out does so alone: a star would light the other colours beside it, too."""
    beside = np.float32(0)
    for i in range(4):
        dy, dx = (0, 0, -1, 1)[i], (-1, 1, 0, 0)[i]
        yy, xx = y + dy, x + dx
        far = np.float32(0.5) * (
            np.float32(mosaic[yy + 2 * dy, xx + 2 * dx]) + np.float32(mosaic[yy + 2 * dx, xx + 2 * dy])
        )
        beside = max(beside, np.float32(mosaic[yy, xx]) - far)
    return beside < np.float32(0.2) * excess + np.float32(3) * noise


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _vote_hot(mosaic, black, noise_floor, slope, votes):
    """Add one vote to each site that stands out of its surroundings as no lens would draw it.

    ``black`` and ``noise_floor`` are raw numbers, ``slope`` the raw variance per raw number.
    """
    height, width = mosaic.shape
    for y in nb.prange(4, height - 4):
        above, here = mosaic[y - 2].astype(np.float32), mosaic[y].astype(np.float32)
        below, out = mosaic[y + 2].astype(np.float32), np.zeros(width, np.float32)
        _standing_out(above, here, below, black, noise_floor, slope, out)
        for x in range(4, width - 4):
            if out[x] > 0:
                noise = _noise(here[x] - out[x], black, noise_floor, slope)
                votes[y, x] += _stands_alone(mosaic, y, x, out[x], noise)


def vote_hot(frame: LightFrame, votes: np.ndarray) -> None:
    """Add one vote, in place, to each site of ``votes``, uint8 (H, W), that is hot in a frame."""
    span = float(frame.levels.white - frame.levels.black[1])
    _vote_hot(
        frame.mosaic,
        np.float32(frame.levels.black[1]),
        np.float32(np.sqrt(frame.noise.offset[1]) * span),
        np.float32(frame.noise.slope[1] * span),
        votes,
    )


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _mend(mosaic, hot):
    height, width = mosaic.shape
    for y in nb.prange(height):
        around = np.empty(8, np.float32)
        for x in range(width):
            if not hot[y, x]:
                continue
            n = 0
            for dy in range(-2, 3, 2):
                for dx in range(-2, 3, 2):
                    yy, xx = y + dy, x + dx
                    if (dy != 0 or dx != 0) and 0 <= yy < height and 0 <= xx < width and not hot[yy, xx]:
                        around[n] = mosaic[yy, xx]
                        n += 1
            if n > 0:
                around[:n].sort()
                mosaic[y, x] = np.uint16(np.float32(0.5) * (around[(n - 1) // 2] + around[n // 2]) + np.float32(0.5))


def calibrate(frame: LightFrame, calibration: Calibration) -> None:
    """Calibrate a light frame, in place; clipped sites stay clipped."""
    if calibration.dark is not None or calibration.flat is not None:
        full = frame.mosaic >= frame.levels.clip
        value = frame.mosaic.astype(np.float32)
        if calibration.dark is not None:
            seconds = frame.metadata.seconds or 0.0
            scale = 1.0 if calibration.dark_seconds <= 0 else seconds / calibration.dark_seconds
            value -= calibration.dark * np.float32(scale)
        if calibration.flat is not None:
            for c, where in sites(frame.pattern):
                black = frame.levels.black[c]
                value[where] = (value[where] - black) / calibration.flat[where] + black
        number = np.clip(np.rint(value), 0, np.ceil(frame.levels.clip) - 1).astype(np.uint16)
        number[full] = frame.mosaic[full]
        frame.mosaic = number
    if calibration.hot is not None:
        mend_sites(frame.mosaic, calibration.hot)


def mend_sites(mosaic: np.ndarray, hot: np.ndarray) -> None:
    """Replace hot sites of a mosaic, in place, by the median of the nearest of their colour."""
    _mend(mosaic, hot)
