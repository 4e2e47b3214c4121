"""Rungs of the ladder, and the EV that placement adds at each stop."""

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from scipy.interpolate import PchipInterpolator

from crenn.core.colorimetry.spaces import MIDDLE_GREY

#: Stops are opened fully from this far below middle grey, and held fully from this far above it.
SHADOW_SPAN, LIGHT_SPAN = 6.0, 6.0
#: Least slope: however hard stops are pressed together, a brighter one stays brighter.
LEAST_SLOPE = 0.06


class Rung(BaseModel):
    """One stop of the scene put on a brighter or darker tone by hand."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    stop: float = Field(ge=-30, le=15, description="stop of the scene: EV relative to the reference's saturation")
    ev: float = Field(ge=-8, le=8, description="EV added there")


def _smooth(x: np.ndarray) -> np.ndarray:
    """0 below 0, 1 above 1, without a kink between."""
    x = np.clip(x, 0.0, 1.0)
    return x * x * (3 - 2 * x)


def _hill(x: np.ndarray) -> np.ndarray:
    """1 at 0, nothing beyond 1 to either side, without a kink."""
    return np.clip(1 - x * x, 0.0, None) ** 2


def placement_ev(
    stops: np.ndarray,
    shadows: float,
    highlights: float,
    rungs: list[Rung],
    exposure: float,
    shadow_width: float = SHADOW_SPAN,
    highlight_width: float = LIGHT_SPAN,
    midtones: float = 0.0,
) -> np.ndarray:
    """EV that placement adds at stops of the scene after exposure.

    Parameters
    ----------
    stops : ndarray (N,)
        Rising; after exposure, 0 is the picture's white.
    shadows, highlights : float
        EV.
    rungs : list of Rung
        On stops of the scene, before exposure.
    exposure : float
        EV.
    shadow_width, highlight_width : float
        Stops from middle grey over which shadows and highlights take hold.
    midtones : float
        EV, most two stops below middle grey; four further down and up nothing.
    """
    added = shadows * _smooth((MIDDLE_GREY - stops) / shadow_width)
    added = added + highlights * _smooth((stops - MIDDLE_GREY) / highlight_width)
    added = added + midtones * _hill((stops - MIDDLE_GREY + 2.0) / 4.0)
    if rungs:
        at = np.array([r.stop for r in rungs]) + exposure
        # A rung that is moved bends its surroundings, not the far end of the ladder.
        at = np.concatenate([[at[0] - 4.0], at, [at[-1] + 4.0]])
        by = np.concatenate([[0.0], [r.ev for r in rungs], [0.0]])
        inside = (stops > at[0]) & (stops < at[-1])
        added = added + np.where(inside, PchipInterpolator(at, by)(np.clip(stops, at[0], at[-1])), 0.0)
    placed = stops + added
    slope = np.maximum(np.diff(placed), LEAST_SLOPE * np.diff(stops))
    middle = int(np.argmin(np.abs(stops - MIDDLE_GREY)))
    rebuilt = np.concatenate([[0.0], np.cumsum(slope)])
    return rebuilt - rebuilt[middle] + placed[middle] - stops
