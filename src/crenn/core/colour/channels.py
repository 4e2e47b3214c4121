"""Channels: mixing red, green and blue, and exchanging red and blue for frames of infrared."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from pydantic import create_model

from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial, toggle

NAMES = ("red", "green", "blue")


def _dials() -> dict[str, Any]:
    dials: dict[str, Any] = {
        "exchange": (
            bool,
            toggle(
                False,
                "Exchange red and blue",
                "For frames of infrared: a brown sky becomes blue, and leaves stay pale.",
            ),
        ),
        "grey": (
            bool,
            toggle(True, "Keep grey grey", "What is missing to 100 % in a row, or too much, is spread over its parts."),
        ),
    }
    for row in NAMES:
        for part in NAMES:
            own = 100.0 if row == part else 0.0
            dials[f"{row}_{part}"] = (
                float,
                dial(
                    own,
                    "%",
                    -200,
                    200,
                    1,
                    f"of {part}",
                    f"How much of what was {part} the {row} of the picture gets.",
                    bend=Bend("add", -200, 200, 1),
                    group=f"New {row}",
                ),
            )
    return dials


ChannelsParameters: Any = create_model("ChannelsParameters", __base__=StepParameters, **_dials())


def mixing_matrix(shares: np.ndarray, grey: bool, exchange: bool = False) -> np.ndarray:
    """Matrix of new red, green and blue in parts of the old ones, float64 (3, 3).

    Parameters
    ----------
    shares : ndarray (3, 3)
        Rows of parts, 1 for all of a channel.
    grey : bool
        Whether grey stays grey: what a row lacks to 1 is spread over its parts evenly.
    exchange : bool
        Whether red and blue are exchanged first.
    """
    shares = np.asarray(shares, np.float64)
    if grey:
        shares = shares + (1.0 - shares.sum(1, keepdims=True)) / 3.0
    return shares[:, ::-1] if exchange else shares


class Channels(LightStep[StepParameters]):
    """A matrix over red, green and blue light."""

    name, station, title, parameters = "channels", "colour", "Channels", ChannelsParameters
    folded = True

    def act(self, program: Program, parameters: Any, scene: SceneLight) -> None:
        program.matrix(mixing_matrix(self._shares(parameters), parameters.grey, parameters.exchange))

    def bend(self, program: Program, bends: Mapping[str, float], parameters: Any, scene: SceneLight) -> None:
        other = self.bent(parameters, bends)
        if other != parameters:
            now, bent = (mixing_matrix(self._shares(p), parameters.grey) for p in (parameters, other))
            # What was mixed already is mixed anew; where that cannot be undone, as far as it can.
            program.matrix(bent @ np.linalg.pinv(now))

    @staticmethod
    def _shares(parameters: StepParameters) -> np.ndarray:
        return np.array([[getattr(parameters, f"{row}_{part}") for part in NAMES] for row in NAMES]) / 100.0
