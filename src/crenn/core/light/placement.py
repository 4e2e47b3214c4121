"""Placement: on which tone of the picture each stop of the scene is put."""

from collections.abc import Mapping
from typing import Literal

import numpy as np
from pydantic import Field, field_validator

from crenn.core.light.automatic import automatic_light
from crenn.core.light.compress import added_to_places, fused, local_laplacian
from crenn.core.light.rungs import Rung, placement_ev
from crenn.core.pipeline.instructions import table_stops
from crenn.core.pipeline.planes import GuidedField
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, choice, dial

#: How smoothly what a way of compressing finds varies over the picture, in %, and the picture that it looks at.
_CARRIED, _LOOKED_AT = 1.5, 320


class PlacementParameters(StepParameters):
    way: Literal["base", "laplacian", "fusion", "curve"] = choice(
        "base",
        "Way",
        "How many stops are brought onto few tones. By neighbourhood: light is placed by the stop of what lies around "
        "it, and keeps its detail. By scale: large differences are pressed together, small ones kept, at every size. "
        "Fused: the scene is exposed several times, and each place taken from where it is best. By light alone: one "
        "curve for all places, as film has it.",
        {"base": "By neighbourhood", "laplacian": "By scale", "fusion": "Fused", "curve": "By light alone"},
        usual=False,
    )
    strength: float = dial(
        100.0,
        "%",
        0,
        150,
        1,
        "Strength",
        "All that placement does, its automatic parts too, weaker or stronger at once.",
    )
    shadows: float | None = dial(
        None,
        "EV",
        -6,
        8,
        0.05,
        "Open shadows",
        "Lifts what lies below the middle tones.",
        bend=Bend("add", -8, 8, 0.05),
    )
    highlights: float | None = dial(
        None,
        "EV",
        -8,
        4,
        0.05,
        "Hold highlights",
        "Pulls down what lies above the middle tones.",
        bend=Bend("add", -8, 8, 0.05),
    )
    balance: float = dial(
        0.0,
        "EV",
        -6,
        6,
        0.05,
        "Lift or hold",
        "Up, it brightens what is dark and nothing else; down, it darkens what is bright and nothing else.",
        bend=Bend("add", -6, 6, 0.05),
        usual=False,
    )
    midtones: float = dial(
        0.0,
        "EV",
        -3,
        3,
        0.05,
        "Midtones",
        "Opens what lies about two stops below middle grey, and not the deep blacks.",
        bend=Bend("add", -3, 3, 0.05),
    )
    shadow_width: float = dial(
        6.0,
        "stops",
        2,
        10,
        0.1,
        "Shadow width",
        "Over how many stops below middle grey opening takes hold.",
        usual=False,
    )
    highlight_width: float = dial(
        6.0,
        "stops",
        2,
        10,
        0.1,
        "Highlight width",
        "Over how many stops above middle grey holding takes hold.",
        usual=False,
    )
    local: float | None = dial(
        None,
        "×",
        0.3,
        2.5,
        0.01,
        "Local contrast",
        "Stretches or flattens what departs from its neighbourhood within reach.",
        bend=Bend("factor", 0.3, 2.5, 0.01),
    )
    reach: float = dial(
        6.0,
        "%",
        0.5,
        20,
        0.1,
        "Reach",
        "How wide a neighbourhood decides which stop a place belongs to, in % of the picture.",
        usual=False,
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

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        found = automatic_light(scene)
        return {"shadows": found.shadows, "highlights": found.highlights, "local": found.local}

    def act(self, program: Program, parameters: PlacementParameters, scene: SceneLight) -> None:
        p = parameters
        added = self._added(program, p)
        assert p.local is not None, "it is resolved"
        stretch = p.strength / 100 * (p.local - 1.0)
        if added is None:
            program.grid(p.reach, None, stretch)
            return
        stops = table_stops()
        program.grid(p.reach, added if p.way == "base" else None, stretch)
        if p.way == "curve":
            program.curve(lambda own: np.interp(own, stops, added))
        elif p.way != "base":
            self._by_scale(program, p.way, added)

    @staticmethod
    def _added(program: Program, p: PlacementParameters) -> np.ndarray | None:
        """EV that is added to light by the stop of the base, float64 (TABLE_SIZE,); None if nothing."""
        share = p.strength / 100
        shadows = share * ((p.shadows or 0.0) + max(p.balance, 0.0))
        highlights = share * ((p.highlights or 0.0) + min(p.balance, 0.0))
        midtones = share * p.midtones
        rungs = [r.model_copy(update={"ev": share * r.ev}) for r in p.rungs]
        if not (shadows or highlights or midtones or any(r.ev for r in rungs)):
            return None
        # Rungs stand on stops of the scene; the program so far tells how far exposure has moved them.
        widths = p.shadow_width, p.highlight_width
        return placement_ev(table_stops(), shadows, highlights, rungs, program.shift, *widths, midtones)

    def bend(
        self, program: Program, bends: Mapping[str, float], parameters: PlacementParameters, scene: SceneLight
    ) -> None:
        # In whichever way the picture's light is placed, what an area adds goes by the neighbourhood.
        placed = {name: by for name, by in bends.items() if name != "local"}
        now, bent = (self._added(program, p) for p in (parameters, self.bent(parameters, placed)))
        nothing = np.zeros(table_stops().size)
        added = (nothing if bent is None else bent) - (nothing if now is None else now)
        assert parameters.local is not None, "it is resolved"
        stretch = parameters.strength / 100 * parameters.local * (bends.get("local", 1.0) - 1.0)
        program.grid(parameters.reach, added, stretch)

    @staticmethod
    def _by_scale(program: Program, way: str, added: np.ndarray) -> None:
        """Write what looks at the whole scene; placement adds a table of EV to even light."""
        shift, stops = program.shift, table_stops()
        compress = {"laplacian": local_laplacian, "fusion": fused}[way]

        def placed(own: np.ndarray) -> np.ndarray:
            return np.asarray(own + np.interp(own, stops, added))

        def even(own: np.ndarray) -> np.ndarray:
            return np.interp(own + shift, stops, added)

        make = added_to_places(lambda own: compress(own, placed), shift)
        depends = way, added.tobytes(), shift
        program.carry(GuidedField("placement", depends, _CARRIED, make, _LOOKED_AT, even))
