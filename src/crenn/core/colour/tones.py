"""Balance by tone: shadows, midtones and highlights shifted between opposite colours."""

from typing import Any

import numpy as np
from pydantic import create_model

from crenn.core.colorimetry.circle import by_stop
from crenn.core.colour.step import ColourStep
from crenn.core.pipeline.colours import Colours
from crenn.core.pipeline.step import Bend, StepParameters, dial

#: Tones, in EV relative to the picture's white, that are shadows, midtones and highlights.
TONES = {"shadows": -6.0, "midtones": -3.5, "highlights": -1.0}
#: Opposite colours by the key of their dials; the second is the channel that gets more.
PAIRS = {"red": "Cyan – red", "green": "Magenta – green", "blue": "Yellow – blue"}


def _dials() -> dict[str, Any]:
    return {
        f"{tone}_{channel}": (
            float,
            dial(
                0.0,
                "EV",
                -1,
                1,
                0.01,
                title,
                f"Shifts the {tone} from {title.lower().replace(' – ', ' to ')}; lightness stays.",
                bend=Bend("add", -1, 1, 0.01),
                group=tone.capitalize(),
            ),
        )
        for tone in TONES
        for channel, title in PAIRS.items()
    }


TonesParameters: Any = create_model("TonesParameters", __base__=StepParameters, **_dials())


class Tones(ColourStep[StepParameters]):
    """Gains on red, green and blue by tone, with lightness kept."""

    name, title, parameters, by = "tones", "Balance by tone", TonesParameters, "picture"
    folded = True

    def change(self, parameters, scene, cleaned):
        gains = np.array([[getattr(parameters, f"{tone}_{channel}") for tone in TONES] for channel in PAIRS])
        if not gains.any():
            return None

        def change(colours: Colours) -> Colours:
            shares = by_stop(colours.stop, tuple(TONES.values()))
            return colours.gained(*(sum(g * share for g, share in zip(row, shares)) for row in gains))

        return change
