"""A cast: the colour that the light of the whole picture, or of some tones of it, is off white by, taken out."""

from collections.abc import Mapping

import numpy as np
from pydantic import model_validator

from crenn.core.colorimetry.circle import eased
from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.pipeline.colours import Colours
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial, number

#: Over so many EV a range of tones fades at either end.
_SOFT = 1.5


class CastParameters(StepParameters):
    amount: float = dial(
        100, "%", 0, 150, 1, "Take out", "How much of the cast is taken out.", bend=Bend("add", -150, 150, 1)
    )
    red: float = number(0.0, "EV", -3, 3, "Red", "By how much the cast has more red than green.")
    blue: float = number(0.0, "EV", -3, 3, "Blue", "By how much the cast has more blue than green.")
    low: float | None = number(None, "EV", -16, 4, "From", "Tone from which on it is taken out; none for all the dark.")
    high: float | None = number(None, "EV", -16, 4, "Up to", "Tone up to which it is; none for all the bright.")

    @model_validator(mode="after")
    def _rises(self) -> "CastParameters":
        if self.low is not None and self.high is not None and self.high <= self.low:
            raise ValueError(f"the tones of a cast end at {self.high:g} EV, and begin at {self.low:g}")
        return self


def within(stop: np.ndarray, low: float | None, high: float | None) -> np.ndarray:
    """How far stops belong to a range of tones, 0 to 1, like them."""
    share = np.ones_like(stop)
    if low is not None:
        share = share * eased((stop - low) / _SOFT + 1)
    if high is not None:
        share = share * eased((high - stop) / _SOFT + 1)
    return share


def cast_matrix(red: float, blue: float, amount: float) -> np.ndarray:
    """Gains on red, green and blue that take a share of a cast out and keep the luminance of white, (3, 3)."""
    gains = np.exp2([-red * amount, 0.0, -blue * amount])
    return np.asarray(np.diag(gains / (LUMINANCE.astype(np.float64) @ gains)))


class Cast(LightStep[CastParameters]):
    """Gains on red and blue: of all light, or of a range of tones with lightness kept."""

    name, station, title, parameters = "cast", "colour", "Cast", CastParameters
    folded = True

    def act(self, program: Program, parameters: CastParameters, scene: SceneLight) -> None:
        p = parameters
        if not (p.red or p.blue):
            return
        if p.low is None and p.high is None:
            program.matrix(cast_matrix(p.red, p.blue, p.amount / 100))
        else:
            self._some(program, p, p.amount / 100)

    def bend(self, program: Program, bends: Mapping[str, float], parameters: CastParameters, scene: SceneLight) -> None:
        p = parameters
        amount = self.bent(p, bends).amount
        if not (p.red or p.blue) or amount == p.amount:
            return
        if p.low is None and p.high is None:
            now, bent = (cast_matrix(p.red, p.blue, v / 100) for v in (p.amount, amount))
            program.matrix(bent @ np.linalg.inv(now))
        else:
            self._some(program, p, (amount - p.amount) / 100)

    @staticmethod
    def _some(program: Program, p: CastParameters, amount: float) -> None:
        if not amount:
            return

        def change(colours: Colours) -> Colours:
            share = amount * within(colours.stop, p.low, p.high)
            return colours.gained(-p.red * share, 0.0, -p.blue * share)

        program.recolour(change, "picture")
