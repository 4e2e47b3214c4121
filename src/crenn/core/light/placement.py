"""Placement: on which tone of the picture each stop of the scene is put."""

from pydantic import Field, field_validator

from crenn.core.light.automatic import automatic_light
from crenn.core.light.rungs import Rung, placement_ev
from crenn.core.pipeline.program import table_stops
from crenn.core.pipeline.step import LightStep, StepParameters, dial


class PlacementParameters(StepParameters):
    shadows: float | None = dial(None, "EV", -6, 8, 0.05, "Open shadows", "Lifts what lies below the middle tones.")
    highlights: float | None = dial(
        None, "EV", -8, 4, 0.05, "Hold highlights", "Pulls down what lies above the middle tones."
    )
    balance: float = dial(
        0.0,
        "EV",
        -6,
        6,
        0.05,
        "Lift or hold",
        "Up, it brightens what is dark and nothing else; down, it darkens what is bright and nothing else.",
    )
    midtones: float = dial(
        0.0,
        "EV",
        -3,
        3,
        0.05,
        "Midtones",
        "Opens what lies about two stops below middle grey, and not the deep blacks.",
    )
    shadow_width: float = dial(
        6.0, "stops", 2, 10, 0.1, "Shadow width", "Over how many stops below middle grey opening takes hold."
    )
    highlight_width: float = dial(
        6.0, "stops", 2, 10, 0.1, "Highlight width", "Over how many stops above middle grey holding takes hold."
    )
    local: float = dial(
        1.6,
        "×",
        0.3,
        2.5,
        0.01,
        "Local contrast",
        "Stretches or flattens what departs from its neighbourhood within reach.",
    )
    reach: float = dial(
        6.0,
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


class Placement(LightStep[PlacementParameters]):
    """EV by the stop of the edge-aware base; what departs from it is stretched."""

    name, station, title, parameters = "placement", "light", "Placement", PlacementParameters

    def automatic(self, scene):
        found = automatic_light(scene)
        return {"shadows": found.shadows, "highlights": found.highlights}

    def act(self, program, parameters, scene):
        p = parameters
        shadows, highlights = p.shadows + max(p.balance, 0.0), p.highlights + min(p.balance, 0.0)
        if shadows or highlights or p.midtones or any(r.ev for r in p.rungs):
            # Rungs stand on stops of the scene; the program so far tells how far exposure has moved them.
            widths = p.shadow_width, p.highlight_width
            added = placement_ev(table_stops(), shadows, highlights, p.rungs, program.shift, *widths, p.midtones)
            program.grid(p.reach, added, p.local - 1.0)
        else:
            program.grid(p.reach, None, p.local - 1.0)
