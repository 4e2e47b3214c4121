"""Stars that are seen: bright ones larger and in their colour, a darker sky between; and rays of points of light."""

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.finish.glow import KNEE
from crenn.core.finish.line import FinishStep, LineParameters
from crenn.core.finish.pixelwise import added, brightened, spilling, standing_out
from crenn.core.pipeline.effects import Amount, Effect, Surroundings
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, dial

#: EV over their surroundings from where on stars begin to grow, and grow fully.
_BEGIN, _FULL = 1.0, 4.0
#: Light about a star at 100 %, in its own.
_HALO = 5.0
#: Light in all rays of a point at 100 %, in its own; they fade to a hundredth along their length.
_RAYS, _FADE = 2.0, 4.6
#: Deviation across a ray, in pixels of the full picture.
_THIN = 0.7


class StarGlowParameters(LineParameters):
    amount: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Larger stars",
        "How much light bright stars have about them, in their own colour; faint ones stay as they are.",
        bend=Bend("add", -100, 100, 1),
    )
    size: float = dial(2.0, "px", 0.5, 12, 0.1, "Size", "Of that light, in pixels of the full picture.")
    between: float = dial(0.0, "EV", 0, 2, 0.05, "Sky between", "By how much the sky between stars is darkened.")
    rays: float = dial(0.0, "%", 0, 100, 1, "Rays", "How bright rays of lamps and stars are.", usual=False)
    blades: float = dial(
        6.0, "blades", 3, 16, 1, "Blades", "Of the aperture: an odd number has twice as many rays.", usual=False
    )
    length: float = dial(60.0, "px", 5, 300, 1, "Length", "Of rays, in pixels of the full picture.", usual=False)
    turn: float = dial(0.0, "°", 0, 180, 1, "Turn", "Of the rays.", usual=False)


def ray_kernel(blades: int, length: float, turn: float, thin: float) -> np.ndarray:
    """Rays of a point as blades of an aperture give them, float32 (n, n), summing to 1; lengths in its pixels."""
    count = blades if blades % 2 == 0 else 2 * blades
    reach = int(np.ceil(length))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    away = np.hypot(x, y)
    out = np.zeros(x.shape, np.float32)
    for k in range(count):
        angle = np.radians(turn) + 2 * np.pi * k / count
        along, aside = x * np.cos(angle) + y * np.sin(angle), x * np.sin(angle) - y * np.cos(angle)
        out += np.where(along >= 0, np.exp(-0.5 * (aside / thin) ** 2) * np.exp(-_FADE * away / length), 0)
    return np.asarray(out / out.sum(), np.float32)


def rayed(bright: np.ndarray, kernel: np.ndarray) -> np.ndarray:
    """Rays of bright light, float32 (h, w, 3), by a kernel, float32 (n, n); most of a picture has none to give."""
    height, width = bright.shape[:2]
    reach = kernel.shape[0] // 2
    side = max(2 * reach, 128)
    out = np.zeros_like(bright)
    lit = luminance(bright) > 0
    for top in range(0, height, side):
        for left in range(0, width, side):
            y0, x0 = max(top - reach, 0), max(left - reach, 0)
            around = np.s_[y0 : top + side + reach, x0 : left + side + reach]
            if lit[around].any():
                found = cv2.filter2D(bright[around], -1, kernel, borderType=cv2.BORDER_REFLECT)
                own = found[top - y0 :][:side, left - x0 :][:, :side]
                out[top : top + own.shape[0], left : left + own.shape[1]] = own
    return out


class StarGlow(FinishStep[StarGlowParameters]):
    """Light about bright stars, as a soft filter gives it: more the farther a star outshines its surroundings."""

    name, title, parameters, amount = "star_glow", "Stars and rays", StarGlowParameters, "amount"
    folded = True

    def effect(self, parameters: StarGlowParameters) -> Effect:
        def apply(light: np.ndarray, amount: Amount, around: Surroundings) -> np.ndarray:
            sigma = parameters.size * around.scale

            def stars() -> np.ndarray:
                share = around.found("stars")
                y = luminance(light)
                side = max(2 * int(np.ceil(3 * around.scale)) + 1, 3)
                opened = cv2.morphologyEx(y, cv2.MORPH_OPEN, np.ones((side, side), np.uint8))
                own = standing_out(light, opened, share, _BEGIN, _FULL)
                return np.asarray(own if sigma < 0.3 else cv2.GaussianBlur(own, (0, 0), sigma), np.float32)

            out = added(light, _HALO * amount, around.kept((parameters.size,), stars))
            if parameters.between:
                dark = around.found("sky") * (1 - around.found("stars"))
                out = brightened(out, np.float32(-parameters.between) * dark)
            length = parameters.length * around.scale
            if parameters.rays and length >= 2:

                def drawn() -> np.ndarray:
                    thin = max(_THIN * around.scale, 0.5)
                    kernel = ray_kernel(int(parameters.blades), length, parameters.turn, thin)
                    return rayed(spilling(light, 2.0 ** (around.white + 1.0 - KNEE)), kernel)

                depends = ("rays", parameters.blades, parameters.length, parameters.turn)
                out = added(out, _RAYS * parameters.rays / 100, around.kept(depends, drawn))
            return out

        def reach(long_side: int) -> float:
            # What tells stars from other points looks around as well.
            return max(4 * parameters.size + 40, parameters.length + 2 if parameters.rays else 0.0) + 4

        return Effect(self.name, apply, reach, parameters.way, parameters.opacity / 100)

    def act(self, program: Program, parameters: StarGlowParameters, scene: SceneLight) -> None:
        program.finish(
            self.effect(parameters), parameters.amount / 100, always=bool(parameters.rays or parameters.between)
        )


STAR_GLOW = StarGlow()
