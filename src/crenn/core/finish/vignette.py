"""A vignette: the picture falls off, or brightens, away from a centre that can be moved; and light within it."""

import numpy as np

from crenn.core.areas.part import Place
from crenn.core.basis import PlaceMap
from crenn.core.colorimetry.spaces import luminance
from crenn.core.finish.line import FinishStep, LineParameters
from crenn.core.finish.pixelwise import brightened
from crenn.core.pipeline.effects import Amount, Effect, Surroundings
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, dial


class VignetteParameters(LineParameters):
    amount: float = dial(0.0, "EV", -4, 2, 0.05, "Edges", "Light added at the corners.", bend=Bend("add", -4, 4, 0.05))
    inside: float = dial(0.0, "EV", -1, 2, 0.05, "Light inside", "Light added about the centre.")
    haze: float = dial(0.0, "%", 0, 100, 1, "Haze inside", "Veils the centre, as light in moist air.", usual=False)
    size: float = dial(
        70.0, "%", 10, 150, 1, "Size", "Where half of it is reached, in % of the way from the centre to the corners."
    )
    feather: float = dial(60.0, "%", 5, 100, 1, "Feather", "How softly it begins.")
    shape: float = dial(
        0.0, "%", -100, 100, 1, "Shape", "From as long as the picture over its own shape to a circle.", usual=False
    )
    highlights: float = dial(
        50.0, "%", 0, 100, 1, "Highlights kept", "How far lamps and bright places stay as they are."
    )
    centre: Place | None = None

    def moved(self, by: PlaceMap) -> "VignetteParameters":
        return self if self.centre is None else self.model_copy(update={"centre": by.place(self.centre)})


def falloff(around: Surroundings, parameters: VignetteParameters) -> np.ndarray:
    """How far the edges' light acts at each pixel of a window, 0 to 1, float32 (h, w)."""
    height, width = around.size
    x, y = around.at()
    cx, cy = (width / 2, height / 2) if parameters.centre is None else around.place(parameters.centre)
    round_ = max(parameters.shape, 0.0) / 100
    long = max(-parameters.shape, 0.0) / 100
    # Half axes: as the picture, towards a circle of the same diagonal, or stretched along its longer side.
    diagonal = np.hypot(width, height) / np.sqrt(8)
    a, b = ((1 - round_) * side / 2 + round_ * diagonal for side in (width, height))
    a, b = (a * (1 + long), b) if width >= height else (a, b * (1 + long))
    away = np.sqrt((((x - cx) / a) ** 2)[None, :] + (((y - cy) / b) ** 2)[:, None]) / np.sqrt(2)
    middle, half = parameters.size / 100, max(parameters.feather / 100, 0.02)
    t = np.clip((away - middle * (1 - half)) / (2 * middle * half), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


class Vignette(FinishStep[VignetteParameters]):
    """A gain by the distance from the centre, in stops."""

    name, title, parameters, amount, per = "vignette", "Vignette", VignetteParameters, "amount", 1.0

    def effect(self, parameters: VignetteParameters) -> Effect:
        def apply(light: np.ndarray, amount: Amount, around: Surroundings) -> np.ndarray:
            edge = falloff(around, parameters)[..., None]

            def darkened() -> np.ndarray:
                y = luminance(light)[..., None]
                # What is bright stays, from three stops below white on.
                stops = np.log2(np.maximum(y, np.float32(1e-9))) - np.float32(around.white)
                kept = np.float32(parameters.highlights / 100) * np.clip((stops + 3) / 3, 0, 1)
                return np.asarray(edge * (1 - kept))

            shape = parameters.size, parameters.feather, parameters.shape, parameters.centre, parameters.highlights
            ev = amount * around.kept(shape, darkened) + np.float32(parameters.inside) * (1 - edge)
            out = brightened(light, ev)
            if parameters.haze:
                veil = np.float32(0.06 * 2.0**around.white * parameters.haze / 100)
                out = out * np.float32(1 - 0.25 * parameters.haze / 100 * (1 - edge)) + veil * (1 - edge)
            return np.asarray(out, np.float32)

        return Effect(self.name, apply, way=parameters.way, opacity=parameters.opacity / 100, low=-4, high=4)

    def act(self, program: Program, parameters: VignetteParameters, scene: SceneLight) -> None:
        if parameters.amount or parameters.inside or parameters.haze:
            program.finish(self.effect(parameters), parameters.amount, always=True)


VIGNETTE = Vignette()
