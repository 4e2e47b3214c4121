"""White point and black point, and the luminance that the picture shows."""

from collections.abc import Mapping

import numpy as np

from crenn.core.light.automatic import automatic_light
from crenn.core.light.shown import shown_luminance
from crenn.core.pipeline.instructions import table_stops
from crenn.core.pipeline.program import FADE, Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, Stage, StepParameters, dial

#: Luminance of the picture from which colours fade to white, for 0, 50 and 100 %.
FADES = (0.2, FADE, 0.85)
#: The same for a finished picture, in which they have faded as somebody wanted.
_FADED = (0.2, 0.9999, 0.9999)


class EndsParameters(StepParameters):
    white: float | None = dial(
        None,
        "EV",
        -3,
        10,
        0.05,
        "White point",
        "Light that becomes white, in EV above the picture's nominal white.",
        bend=Bend("add", -6, 6, 0.05),
        shows="limits",
    )
    black: float | None = dial(
        None,
        "EV",
        -16,
        -2,
        0.05,
        "Black point",
        "Light that becomes black, in EV below the picture's nominal white.",
        bend=Bend("add", -8, 8, 0.05),
        shows="limits",
    )
    colour: float = dial(
        50.0,
        "%",
        0,
        100,
        1,
        "Bright colours",
        "How long bright light keeps its colour on the way to white: down, it fades early; up, a lamp's glow is "
        "coloured up to its core.",
        usual=False,
    )


def neutral_display(peak: float = 1.0) -> np.ndarray:
    """The display without this step: nominal white is white, no light is taken off; float64 (TABLE_SIZE,)."""
    return shown_luminance(table_stops(), 0.0, None, peak)


class Ends(LightStep[EndsParameters]):
    """White point and black point, where light meets the display."""

    name, station, title, parameters = "ends", "light", "Ends", EndsParameters
    stage = Stage.DISPLAY

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        found = automatic_light(scene)
        return {"white": found.white, "black": found.black}

    def act(self, program: Program, parameters: EndsParameters, scene: SceneLight) -> None:
        fades = _FADED if scene.capture.finished else FADES
        fade = float(np.interp(parameters.colour, (0, 50, 100), fades))
        program.show(lambda peak: _shown(table_stops(), parameters, peak), fade)

    def bend(self, program: Program, bends: Mapping[str, float], parameters: EndsParameters, scene: SceneLight) -> None:
        bent = self.bent(parameters, bends)
        program.curve(lambda stops: _as_if(stops, parameters, bent))


def _as_if(stops: np.ndarray, now: EndsParameters, bent: EndsParameters) -> np.ndarray:
    """EV by which grey light, shown by the ends that there are, looks as others would show it.

    The display tells saturated light by more than its luminance, a curve by that alone: there it falls a little short.
    """
    grid = table_stops()
    shown = _shown(grid, now)
    # From the last stop that is black to the first that is white, light is told by how it is shown.
    first, last = int(np.argmax(shown > 0)), int(np.argmax(shown >= shown[-1]))
    rising = slice(max(first - 1, 0), last + 1)
    wanted = _shown(stops, bent)
    found = np.interp(wanted, shown[rising], grid[rising]) - stops
    return np.asarray(np.where(wanted == _shown(stops, now), 0.0, found))


def _shown(stops: np.ndarray, ends: EndsParameters, peak: float = 1.0) -> np.ndarray:
    """`shown_luminance` by parameters that are resolved."""
    return shown_luminance(stops, 0.0 if ends.white is None else ends.white, ends.black, peak)
