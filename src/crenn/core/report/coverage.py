"""What the frames covered, in stops and in words: what is missing, how far shadows can be lifted, what to shoot."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from pydantic import BaseModel, Field

from crenn.core.colorimetry.spaces import MIDDLE_GREY
from crenn.core.mosaic.noise import NoiseModel

#: Signal to noise, in dB, below which a lifted tone shows its noise, and below which a stop is not measured at all.
SHOWS, MEASURED = 20.0, 12.0
#: Long edges of pictures that are asked for most, in pixels; besides the full size.
SIZES = (2048, 4096)
_BINS = 0.5
#: An exposure is only advised up to this long, in seconds, or twice as long as the longest there is.
_LONGEST = 60.0


class Lift(BaseModel):
    """How far shadows can be lifted at an output size."""

    long_edge: int
    stop: float = Field(description="lowest stop whose noise does not show when it is lifted to middle grey")
    ev: float = Field(description="by which that stop is lifted then")


class Advice(BaseModel):
    """The further exposure that would have helped most."""

    ev: float = Field(description="relative to the reference frame")
    seconds: float | None
    iso: float
    gain_db: float | None = Field(
        description="signal to noise gained where it is thin; none for a frame that holds highlights"
    )
    below: float | None = Field(description="stop below which it gains so much")


class Coverage(BaseModel):
    """What the frames covered."""

    missing: list[tuple[float, float]] = Field(description="stops of the scene that no frame measured")
    thin: list[tuple[float, float]] = Field(
        description="stops measured, but with noise that shows at full size when lifted"
    )
    clipped_everywhere: float = Field(description="share of the picture of which some channel clipped in every frame")
    lifts: list[Lift]
    advice: Advice | None
    words: list[str]


def _merge_intervals(flags: np.ndarray, edges: np.ndarray) -> list[tuple[float, float]]:
    out: list[tuple[float, float]] = []
    for i in np.flatnonzero(flags):
        low, high = float(edges[i]), float(edges[i + 1])
        if out and abs(out[-1][1] - low) < 1e-6:
            out[-1] = (out[-1][0], high)
        else:
            out.append((low, high))
    return out


def _stop(value: float) -> str:
    return f"{round(value, 1) + 0.0:+.1f}".replace("-", "−")


def _time(seconds: float) -> str:
    if seconds < 0.3:
        return f"1/{round(1 / seconds)} s"
    return f"{seconds:.1f} s" if seconds < 10 else f"{seconds:.0f} s"


class Measured(NamedTuple):
    """What a frame can measure: its sensitivity relative to the reference frame, its noise, the stop it clips at."""

    gain: float
    noise: NoiseModel
    clip_stop: float
    seconds: float | None
    iso: float


def lowest_stop(stops: np.ndarray, snr: np.ndarray, least: float, ends: tuple[float, float]) -> float:
    """Stop from which on upwards signal to noise is ``least`` dB or more.

    Parameters
    ----------
    stops, snr : ndarray (N,)
        Middles of even bins, and dB; NaN where it is not known.
    least : float
    ends : tuple of float
        The scene's lowest and highest stop.
    """
    known = np.isfinite(snr)
    bad, enough = known & (snr < least), known & (snr >= least)
    half = (stops[1] - stops[0]) / 2 if stops.size > 1 else 0.0
    if bad.any():
        return float(min(stops[bad].max() + half, ends[1]))
    return float(min(stops[enough].min() - half if enough.any() else ends[0], ends[1]))


def cover(
    frames: Sequence[Measured],
    statistics: dict,
    clipped_share: float,
    size: tuple[int, int],
    stacked: bool = False,
    averaged: Callable[[float], float] = lambda factor: 1 / factor,
) -> Coverage:
    """Judge what frames covered.

    Parameters
    ----------
    frames : sequence of Measured
    statistics : dict
        From `crenn.core.report.merging.light_statistics`.
    clipped_share : float
        Share of the picture of which some channel clipped in every frame.
    size : tuple of int
        (width, height).
    stacked : bool
        Whether the frames are equal: then more of them is what helps.
    averaged : callable, optional
        Deviation of the noise, relative to full size, in a picture made smaller by a factor; that of white noise by
        default.
    """
    low, high = statistics["low_stop"], statistics["high_stop"]
    start, width = statistics["histogram_start"], statistics["histogram_bin"]
    histogram = np.array(statistics["histogram"])
    centres = start + (np.arange(histogram.size) + 0.5) * width
    snr = np.array([np.nan if v is None else v for v in statistics["snr_db"]], float)
    known = np.isfinite(snr)
    edges = np.arange(np.floor(low / _BINS) * _BINS, high + _BINS, _BINS)
    per = np.full(edges.size - 1, np.nan)
    weight = np.zeros(edges.size - 1)
    for i in range(edges.size - 1):
        inside = known & (centres >= edges[i]) & (centres < edges[i + 1])
        weight[i] = histogram[(centres >= edges[i]) & (centres < edges[i + 1])].sum()
        if inside.any():
            per[i] = float(np.median(snr[inside]))
    top = max(f.clip_stop for f in frames)
    present = weight > 1e-4
    missing = present & ((per < MEASURED) | (edges[:-1] >= top - 0.25))
    thin = present & ~missing & (per < SHOWS)
    long_edge = max(size)
    lifts = []
    for edge in sorted({*(s for s in SIZES if s < long_edge), long_edge}):
        # Pixels averaged into one add their information.
        gained = -20 * np.log10(averaged(long_edge / edge))
        stop = lowest_stop(centres, snr + gained, SHOWS, (low, high))
        lifts.append(Lift(long_edge=edge, stop=round(stop, 2), ev=round(max(MIDDLE_GREY - stop, 0.0), 2)))
    advice = _advice(frames, centres, histogram, low, clipped_share, stacked)
    words = _words(edges, missing, thin, clipped_share, lifts, advice, top, stacked, len(frames))
    return Coverage(
        missing=_merge_intervals(missing, edges),
        thin=_merge_intervals(thin, edges),
        clipped_everywhere=clipped_share,
        lifts=lifts,
        advice=advice,
        words=words,
    )


def _information(light: np.ndarray, gain: float, model: NoiseModel, clip_stop: float) -> np.ndarray:
    """Inverse variance with which a frame measures light, 0 where it clips."""
    variance = (model.slope[1] * light * gain + model.offset[1]) / gain**2
    return np.where(light < np.exp2(clip_stop) * 0.95, 1 / variance, 0.0)


def _advice(
    frames: Sequence[Measured],
    centres: np.ndarray,
    histogram: np.ndarray,
    low: float,
    clipped_share: float,
    stacked: bool,
) -> Advice | None:
    if clipped_share > 2e-4 and not stacked:
        shortest = min(frames, key=lambda f: f.gain)
        ev = float(np.log2(shortest.gain)) - 2.0
        own = shortest.seconds / 4 if shortest.seconds else None
        return Advice(ev=round(ev, 2), seconds=own, iso=shortest.iso, gain_db=None, below=None)
    light = np.exp2(centres)
    information = sum(_information(light, float(f.gain), f.noise, f.clip_stop) for f in frames)
    signal = light**2 * information
    needy = (10 * np.log10(np.maximum(signal, 1e-12)) < 26.0) & (centres >= low - 0.5) & (histogram > 0)
    if not needy.any() or histogram[needy].sum() < 1e-3:
        return None
    best = None
    longest = max(frames, key=lambda f: f.gain)
    for step in np.arange(-1.0, 5.5, 0.5) if not stacked else (0.0,):
        # Nobody waits eight minutes for a shadow.
        if not longest.seconds or longest.seconds * 2**step > max(_LONGEST, 2.1 * longest.seconds):
            continue
        gain = float(longest.gain) * 2.0**step
        more = _information(light, gain, longest.noise, longest.clip_stop - step)
        gained = 10 * np.log10(np.maximum(information + more, 1e-12) / np.maximum(information, 1e-12))
        value = float((histogram * gained)[needy].sum() / histogram[needy].sum())
        # Of two frames that help alike the shorter is the better.
        score = value - 0.12 * step
        if best is None or score > best[0]:
            best = (score, step, value)
    if best is None or longest.seconds is None or (best[2] < 1.0 and not stacked):
        return None
    _, step, value = best
    return Advice(
        ev=round(float(np.log2(longest.gain)) + step, 2),
        seconds=longest.seconds * 2**step,
        iso=longest.iso,
        gain_db=round(value, 1),
        below=round(float(centres[needy].max()), 1),
    )


def _words(edges, missing, thin, clipped_share, lifts, advice, top, stacked, count) -> list[str]:
    words = []
    if clipped_share > 2e-4:
        share = "Under 0.1 %" if clipped_share < 1e-3 else f"{100 * clipped_share:.1f} %"
        words.append(f"{share} of the picture is clipped in every frame, above {_stop(top)} EV.")
    dark = [i for i in np.flatnonzero(missing) if edges[i] < top - 1]
    if dark:
        words.append(f"Below {_stop(float(edges[max(dark) + 1]))} EV there is more noise than light at full size.")
    if thin.any():
        i = np.flatnonzero(thin)
        words.append(
            f"From {_stop(float(edges[i.min()]))} to {_stop(float(edges[i.max() + 1]))} EV the frames are thin: "
            "lifted far, noise shows at full size."
        )
    if not words:
        words.append("The frames cover the whole scene.")
    words += [
        f"At {lift.long_edge} px, {_stop(lift.stop)} EV and all above can be lifted to middle grey, by up to "
        f"{lift.ev:.1f} EV, before noise shows."
        for lift in lifts
    ]
    if advice is not None:
        if advice.gain_db is None:
            words.append(
                "A shorter frame would have helped most"
                + (
                    f": {_time(advice.seconds)} at ISO {advice.iso:.0f}."
                    if advice.seconds
                    else f", at {_stop(advice.ev)} EV."
                )
            )
        elif stacked:
            words.append(f"One more such frame would add {advice.gain_db:.1f} dB; {count} more add 3 dB.")
        else:
            words.append(
                f"A further frame of {_time(advice.seconds)} at ISO {advice.iso:.0f} would have helped most: "
                f"{advice.gain_db:.1f} dB more signal to noise below {_stop(advice.below)} EV."
            )
    return words
