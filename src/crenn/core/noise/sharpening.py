"""Capture sharpening: gives back the sharpness that was lost on the way to the pixels, where it is not noise."""

from collections.abc import Mapping

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.noise.deconvolution import blurred, deblurred, noise_gain, reach_of
from crenn.core.noise.stars import BORDER, star_shares
from crenn.core.pipeline.planes import Plane, PlaneContext
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial, toggle

#: The widest softening, in full-size pixels.
_WIDEST = 40
#: Blur of a scene whose own cannot be measured, in full-size pixels.
USUAL = 0.7
_RADII = (0.3, 2.5)
#: Reduced to less than this, sharpening cannot be seen. What is reduced was averaged, which blurs by this variance.
#: Both were found by reducing what was sharpened.
_SEEN, _AVERAGED = 0.2, 0.1
#: Pixels around a star that are left alone: it would get a dark ring.
_STAR = 5
#: Contrast, in EV, beyond which wider sharpening takes it for an edge.
_RIM = 0.4
#: Neighbourhood in which what is given back is weighed against noise, in full-size pixels.
_AROUND = 1.5


class SharpeningParameters(StepParameters):
    amount: float = dial(
        0,
        "%",
        0,
        150,
        1,
        "Amount",
        "How much of the sharpness is given back that lens and sensor took: 100 % is what they took by the radius.",
        bend=Bend("add", -150, 150, 1),
    )
    radius: float | None = dial(
        None,
        "px",
        *_RADII,
        0.05,
        "Radius",
        "Blur of an edge in the full-size picture that counts as sharp, as its standard deviation; measured on the "
        "picture's sharpest edges unless it is set.",
    )
    least: float = dial(
        2.0,
        "×",
        0.0,
        10.0,
        0.1,
        "Above noise",
        "Only what stands out by so many times the noise that is left is sharpened; the mask is shown while it is "
        "held.",
        shows="edges",
        usual=False,
    )
    wide: float = dial(
        0,
        "%",
        0,
        200,
        1,
        "Wider",
        "A second sharpening, of what is wider than the blur of the capture: forms stand out, edges get no rims.",
        bend=Bend("add", -200, 200, 1),
        usual=False,
    )
    wide_radius: float = dial(
        8.0, "px", 2, _WIDEST, 0.5, "Wider radius", "How wide that is, as a deviation.", usual=False
    )
    softness: float = dial(
        0,
        "%",
        0,
        100,
        1,
        "Softness",
        "Takes detail away that is finer than its radius, by even shares of light, so that lamps do not glow.",
        bend=Bend("add", -100, 100, 1),
        usual=False,
    )
    soft_radius: float = dial(
        6.0,
        "px",
        1,
        _WIDEST,
        0.5,
        "Softness radius",
        "What is finer is taken away, as a deviation.",
        usual=False,
    )
    stars: bool = toggle(
        True,
        "Leave stars alone",
        "Stars are not made harder.",
        usual=False,
    )


def _bright(light: np.ndarray, around: PlaneContext) -> np.ndarray:
    """Luminance, above what is noise alone, float32 (h, w)."""
    return np.asarray(np.maximum(luminance(light), np.float32(around.floor * 0.25)), np.float32)


def _shares(
    bright: np.ndarray, detail: np.ndarray, blur: float, sharpening: SharpeningParameters, around: PlaneContext
) -> np.ndarray:
    """How far places are sharpened, float32 (h, w), 0 to 1: where what is given back is more than noise, off stars."""
    share = np.ones_like(detail)
    own = None if around.noise is None else around.noise(np.log2(bright))
    if own is not None and sharpening.least > 0:
        # Averaged to this size, noise is less.
        noise = own * np.float32(min(around.scale, 1.0) * noise_gain(round(blur, 2)))
        energy = blurred(detail * detail, max(_AROUND * around.scale, 0.8))
        # The share is Wiener's (1949), by the energies of what is given back and of what noise alone would be.
        share = np.clip(1 - (np.float32(sharpening.least) * noise) ** 2 / np.maximum(energy, 1e-12), 0, 1)
    if sharpening.stars:
        share = share * (1 - np.clip(star_shares(bright, None if own is None else bright * own, _STAR), 0, 1))
    return np.asarray(share, np.float32)


def _blur_at(radius: float, scale: float) -> float:
    """Blur in pixels of a view that shows what taking back ``radius`` at full size does."""
    return float(np.sqrt((radius * scale) ** 2 + _AVERAGED * max(1 - scale**2, 0)))


def planes(sharpening: SharpeningParameters) -> tuple[Plane, Plane]:
    """What is given back, in EV, and how far places are sharpened, 0 to 1; ``sharpening`` is resolved."""
    radius = sharpening.radius
    if radius is None:
        raise ValueError("the radius is automatic: resolve it first")

    def both(light: np.ndarray, around: PlaneContext, blur: float) -> tuple[np.ndarray, np.ndarray]:
        bright = _bright(light, around)
        detail = np.log2(deblurred(bright, blur) / bright)
        return detail, _shares(bright, detail, blur, sharpening, around)

    def given_back(light: np.ndarray, around: PlaneContext) -> np.ndarray:
        if around.scale < _SEEN:
            return np.zeros(light.shape[:2], np.float32)
        detail, share = both(light, around, _blur_at(radius, around.scale))
        return detail * share

    def mask(light: np.ndarray, around: PlaneContext) -> np.ndarray:
        return both(light, around, _blur_at(radius, around.scale))[1]

    depends = radius, sharpening.least, sharpening.stars
    # The same for every radius: light around a window is cleaned once.
    pixels = reach_of(_RADII[1]) + BORDER
    return (
        Plane("sharpening", depends, 0.0, given_back, pixels),
        Plane("sharpening.mask", depends, 0.0, mask, pixels),
    )


def softening(radius: float) -> Plane:
    """What takes away detail finer than a radius in full-size pixels, in EV."""

    def taken(light: np.ndarray, around: PlaneContext) -> np.ndarray:
        sigma = radius * around.scale
        stops = np.log2(_bright(light, around))
        if sigma < 0.2:
            return np.zeros_like(stops)
        return np.asarray(cv2.GaussianBlur(stops, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE) - stops)

    return Plane("softness", (radius,), 0.0, taken, 4 * _WIDEST)


def widening(radius: float) -> Plane:
    """What is narrower than a radius in full-size pixels and stands out of the noise, in EV; edges count for little."""

    def stands_out(light: np.ndarray, around: PlaneContext) -> np.ndarray:
        sigma = radius * around.scale
        bright = _bright(light, around)
        stops = np.log2(bright)
        if sigma < 0.2:
            return np.zeros_like(stops)
        detail = stops - cv2.GaussianBlur(stops, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
        if around.noise is not None:
            # Averaged to this size, noise is less; what is given back is Wiener's share, as of the narrower.
            noise = around.noise(stops) * np.float32(min(around.scale, 1.0))
            energy = blurred(detail * detail, max(_AROUND * around.scale, 0.8))
            detail = detail * np.clip(1 - 2 * noise**2 / np.maximum(energy, 1e-12), 0, 1)
        # Light on the far side of a strong edge would draw a rim along it.
        return np.asarray(detail / (1 + (detail / _RIM) ** 2), np.float32)

    return Plane("sharpening.wide", (radius,), 0.0, stands_out, 4 * _WIDEST)


class Sharpening(LightStep[SharpeningParameters]):
    """Takes back the blur of the capture, by brightening and darkening; colours stay what they are."""

    name, station, title, parameters = "sharpening", "noise", "Capture sharpening", SharpeningParameters

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        return {"radius": float(np.clip(USUAL if scene.blur is None else scene.blur, *_RADII))}

    def act(self, program: Program, parameters: SharpeningParameters, scene: SceneLight) -> None:
        program.add(planes(parameters)[0], parameters.amount / 100)
        program.add(widening(parameters.wide_radius), parameters.wide / 100)
        program.add(softening(parameters.soft_radius), parameters.softness / 100)

    def mask(self, parameters: SharpeningParameters, scene: SceneLight) -> Plane:
        """How far places are sharpened, 0 to 1."""
        return planes(self.resolved(parameters, scene))[1]

    def bend(
        self, program: Program, bends: Mapping[str, float], parameters: SharpeningParameters, scene: SceneLight
    ) -> None:
        bent = self.bent(parameters, bends)
        program.add(planes(parameters)[0], (bent.amount - parameters.amount) / 100)
        program.add(widening(parameters.wide_radius), (bent.wide - parameters.wide) / 100)
        program.add(softening(parameters.soft_radius), (bent.softness - parameters.softness) / 100)
