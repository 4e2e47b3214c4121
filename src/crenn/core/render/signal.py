"""Signal to noise by stop, in a picture of any size, before and after noise is taken out; and how far that reaches."""

from dataclasses import dataclass

import numpy as np

from crenn.core.colorimetry.spaces import MIDDLE_GREY
from crenn.core.noise.averaging import FACTORS, left_when_averaged, shares_of_bands
from crenn.core.noise.layers import NoiseLayers
from crenn.core.pipeline.scene import Capture
from crenn.core.render.renderer import Renderer
from crenn.core.report.coverage import MEASURED, SHOWS, lowest_stop
from crenn.core.treatment import NOISE, Treatment


@dataclass(frozen=True)
class Reach:
    """How far down a picture can be used.

    Attributes
    ----------
    horizon : float
        Stop below which there is more noise than light is of use: the noise horizon.
    lifted : float
        Lowest stop whose noise does not show when it is lifted to middle grey.
    ev : float
        By which that stop is lifted then.
    """

    horizon: float
    lifted: float
    ev: float


@dataclass(frozen=True)
class Signal:
    """Signal to noise in a picture of a size.

    Attributes
    ----------
    stops : ndarray, float64 (N,)
        Middles of the scene's bins.
    before, after : ndarray, float64 (N,)
        dB, in smooth places outside all areas; NaN where it is not known. ``after`` is None as long as the scene's
        noise has not been split off.
    """

    stops: np.ndarray
    before: np.ndarray
    after: np.ndarray | None

    @staticmethod
    def liftable(stops: np.ndarray, snr: np.ndarray) -> np.ndarray:
        """By how many EV light at stops can be lifted before its noise shows, float64 (N,), 0 at least.

        Noise is seen as a spread of lightness, which grows with the cube root of luminance: every 6 dB more allow for
        three stops more. What has `SHOWS` dB may stand on middle grey.
        """
        return np.asarray(np.maximum(MIDDLE_GREY - stops + 3 * (snr - SHOWS) / (20 * np.log10(2)), 0.0))


def signal(renderer: Renderer, treatment: Treatment, long_edge: int | None = None) -> Signal:
    """Signal to noise by stop in a treatment's picture, as large as that or smaller.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    long_edge : int, optional
        Pixels of the longer side; full size if None.

    Raises
    ------
    CrennError
        If the treatment's geometry cannot be.
    """
    scene = renderer.scene
    light, capture = scene.light, scene.light.capture
    factor = 1.0 if long_edge is None else max(max(renderer.frame(treatment).size) / long_edge, 1.0)
    stops = light.start + light.bin * (np.arange(light.histogram.size) + 0.5)
    snr = light.snr_db if light.snr_db.size == stops.size else np.full(stops.size, np.nan)
    before = snr - 20 * np.log10(left_when_averaged(capture, factor))
    if scene.noise is None or not scene.noise.whole:
        return Signal(stops, before, None)
    lifts = renderer.noise_visibility(treatment)
    shares = np.ones(stops.size) if lifts is None else lifts.by_stop(stops)
    left = left_by(treatment, scene.noise, capture, shares, factor)
    return Signal(stops, before, before - 20 * np.log10(left))


def left_by(
    treatment: Treatment, noise: NoiseLayers, capture: Capture, shares: np.ndarray, factor: float = 1.0
) -> np.ndarray:
    """Deviation of luminance noise that a treatment leaves, relative to what there was, float64 like ``shares``.

    Parameters
    ----------
    treatment : Treatment
    noise : NoiseLayers
    capture : Capture
    shares : ndarray, float
        Of its noise that places are freed of by their lift.
    factor : float
        By which the picture is made smaller.
    """
    step = treatment.section(NOISE)
    if not step.on:
        return np.ones(np.shape(shares))
    s = step.strengths
    # What the filter leaves was measured at strengths 1 and 2, and at some sizes.
    at = np.log2(min(factor, FACTORS[-1]))
    one, two = (10 ** (-np.interp(at, np.log2(FACTORS), gains) / 20) for gains in noise.gains_db)
    unfiltered = one + max(s.luminance - 1.0, 0.0) * (two - one)
    energy = np.zeros(np.shape(shares))
    for part, band in zip(shares_of_bands(capture, factor), (s.fine, s.medium, s.coarse)):
        taken = np.asarray(shares, np.float64) * band * min(s.luminance, 1.0)
        energy += part * ((1 - taken) ** 2 + (taken * unfiltered) ** 2)
    return np.asarray(np.sqrt(energy))


def reach_of(found: Signal, snr: np.ndarray, ends: tuple[float, float]) -> Reach:
    """How far down a picture can be used by its signal to noise, of a scene with its lowest and highest stop."""
    horizon, lifted = (lowest_stop(found.stops, snr, least, ends) for least in (MEASURED, SHOWS))
    return Reach(round(horizon, 2), round(lifted, 2), round(max(MIDDLE_GREY - lifted, 0.0), 2))
