"""Placement: on which tone of the picture each stop of the scene is put."""

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator
from scipy.interpolate import PchipInterpolator

from crenn.core.colour.spaces import MIDDLE_GREY
from crenn.core.pipeline.program import table_stops
from crenn.core.pipeline.step import LightStep, StepParameters, dial

#: Stops are opened fully from this far below middle grey, and held fully from this far above it.
SHADOW_SPAN, LIGHT_SPAN = 6.0, 6.0
#: Least slope: however hard stops are pressed together, a brighter one stays brighter.
LEAST_SLOPE = 0.06


class Rung(BaseModel):
    """One stop of the scene put on a brighter or darker tone by hand."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    stop: float = Field(ge=-30, le=15, description="stop of the scene: EV relative to the reference's saturation")
    ev: float = Field(ge=-8, le=8, description="EV added there")


class PlacementParameters(StepParameters):
    shadows: float | None = dial(None, "EV", -6, 8, 0.05, "Open shadows", "Lifts what lies below the middle tones.")
    highlights: float | None = dial(
        None, "EV", -8, 4, 0.05, "Hold highlights", "Pulls down what lies above the middle tones."
    )
    local: float = dial(
        1.3,
        "×",
        0.3,
        2.5,
        0.01,
        "Local contrast",
        "Stretches or flattens what departs from its neighbourhood within reach.",
    )
    reach: float = dial(
        3.0,
        "%",
        0.5,
        20,
        0.1,
        "Reach",
        "How wide a neighbourhood decides which stop a place belongs to, in % of the picture.",
    )
    rungs: list[Rung] = Field(default_factory=list, max_length=24, description="Stops moved by hand.")

    @field_validator("rungs")
    @classmethod
    def _in_order(cls, rungs: list[Rung]) -> list[Rung]:
        stops = [r.stop for r in rungs]
        if len(set(stops)) != len(stops):
            raise ValueError("two rungs stand on the same stop")
        return sorted(rungs, key=lambda r: r.stop)


def _smooth(x: np.ndarray) -> np.ndarray:
    """0 below 0, 1 above 1, without a kink between."""
    x = np.clip(x, 0.0, 1.0)
    return x * x * (3 - 2 * x)


def placement_ev(
    stops: np.ndarray, shadows: float, highlights: float, rungs: list[Rung], exposure: float
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
    """
    added = shadows * _smooth((MIDDLE_GREY - stops) / SHADOW_SPAN) + highlights * _smooth(
        (stops - MIDDLE_GREY) / LIGHT_SPAN
    )
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


class Placement(LightStep[PlacementParameters]):
    """EV by the stop of the edge-aware base; what departs from it is stretched."""

    name, station, title, parameters = "placement", "light", "Placement", PlacementParameters

    def automatic(self, scene):
        return {"shadows": scene.automatic.shadows, "highlights": scene.automatic.highlights}

    def act(self, program, parameters, scene):
        p = parameters
        if p.shadows or p.highlights or any(r.ev for r in p.rungs):
            # Rungs stand on stops of the scene; the program so far tells how far exposure has moved them.
            added = placement_ev(table_stops(), p.shadows, p.highlights, p.rungs, program.shift)
            program.grid(p.reach, added, p.local - 1.0)
        else:
            program.grid(p.reach, None, p.local - 1.0)
