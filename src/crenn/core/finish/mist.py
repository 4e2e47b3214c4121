"""Mist: the air before a bright sky's edge and over water takes on their light."""

from typing import Literal

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.finish.line import FinishStep, LineParameters
from crenn.core.finish.pixelwise import added
from crenn.core.pipeline.effects import Amount, Effect, Surroundings, near_reach
from crenn.core.pipeline.step import Bend, choice, dial

#: The air's light is the mean of what is around, of this deviation in shares of the picture's longer side.
_AIR = 0.05
#: How thick it is at 100 %, and over water beside the sky's edge.
_THICK, _WATER = 1.6, 0.5
#: Light that counts for the air is held at so many EV below white: lamps are not what it shines by.
_HELD = 1.5
#: Weight of all that is around beside the sky.
_ELSE = np.float32(0.02)


class MistParameters(LineParameters):
    amount: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Mist",
        "How thick the air is along the edge of the sky and over water.",
        bend=Bend("add", -100, 100, 1),
    )
    size: float = dial(3.0, "%", 1, 15, 0.5, "Depth", "How far it reaches, in % of the picture's longer side.")
    where: Literal["sky", "water", "both"] = choice(
        "both",
        "Lies",
        "Along the edge of the sky, over water, or both.",
        {"sky": "Along the sky", "water": "Over water", "both": "Both"},
        usual=False,
    )


class Mist(FinishStep[MistParameters]):
    """Light fades into the air's by the law of Bouguer; the air's is that of the sky beside it, or what is around."""

    name, title, parameters, amount = "mist", "Mist", MistParameters, "amount"
    folded = True

    def effect(self, parameters: MistParameters) -> Effect:
        depends = parameters.size, parameters.where

        def apply(light: np.ndarray, amount: Amount, around: Surroundings) -> np.ndarray:
            long_side = max(around.size)

            def air_and_depth() -> np.ndarray:
                """The air's light, and how thick it is, float32 (h, w, 4)."""
                ceiling = np.float32(2.0 ** (around.white - _HELD))

                def held(of: np.ndarray, _: Surroundings) -> np.ndarray:
                    return of * np.minimum(1, ceiling / np.maximum(luminance(of), ceiling))[..., None]

                def of_sky(of: np.ndarray, there: Surroundings) -> np.ndarray:
                    sky = there.found("sky")[..., None]
                    return np.dstack([sky * held(of, there), sky])

                wide = [(1.0, _AIR * long_side)]
                sky, all_ = around.spread(("sky's",), of_sky, light, wide), around.spread(("all",), held, light, wide)
                # Where there is sky near, the air has its light.
                air = (sky[..., :3] + _ELSE * all_) / (sky[..., 3:] + _ELSE)
                thick = np.zeros(light.shape[:2], np.float32)
                sigma = parameters.size / 100 * long_side
                if parameters.where != "water":
                    near = around.spread(("near sky", sigma), _sky, light, [(1.0, sigma)])[..., 0]
                    # Thickest at the edge, thinner into the sky than before what stands.
                    thick += 4 * near * (1 - near) * (1 - np.float32(0.6) * around.found("sky"))
                if parameters.where != "sky":
                    water = around.spread(("near water", sigma), _water, light, [(1.0, sigma)])[..., 0]
                    thick += np.float32(_WATER) * water
                return np.dstack([air, thick])

            kept = around.kept(depends, air_and_depth)
            thick = np.float32(_THICK) * amount * kept[..., 3:]
            share = 1 - np.exp2(-np.maximum(thick, 0))
            return added(light, share, np.ascontiguousarray(kept[..., :3] - light))

        def reach(long_side: int) -> float:
            return near_reach([_AIR * long_side, parameters.size / 100 * long_side], long_side)

        return Effect(self.name, apply, reach, parameters.way, parameters.opacity / 100)


def _sky(_: np.ndarray, there: Surroundings) -> np.ndarray:
    return there.found("sky")[..., None]


def _water(_: np.ndarray, there: Surroundings) -> np.ndarray:
    return there.found("water")[..., None]


MIST = Mist()
