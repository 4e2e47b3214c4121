"""What the scene's light suggests: the automatic values of the Light station.

How bright the bulk of the picture is shown follows from how bright the scene was: the eye adapts to a night only in
part, and a picture of one that is as bright as a day is no picture of a night.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from crenn.core.colorimetry.spaces import MIDDLE_GREY
from crenn.core.errors import CrennError
from crenn.core.light.rungs import LIGHT_SPAN, placement_ev
from crenn.core.pipeline.scene import SceneLight

#: Tone, in EV below white, on which the bulk of a scene is put that is as bright as a lit street in a city, or of which
#: nothing is known; by day it is put higher.
_BULK_TONE = -3.25
_BRIGHT_STREET, _BY_DAY = 10.0, 0.5
#: Share of the way from there that a picture goes with the eye: it is seen on a screen, by one who has not come in from
#: the night.
_FOLLOWED = 0.55
#: The darkest twentieth should not fall below this tone.
_DARK_TONE = -6.0
#: The brightest hundredth is held to this tone; bare lamps above it may burn out.
_BRIGHT_TONE = -0.1
#: Noise at the horizon should not be lifted above this tone.
_NOISE_TONE = -6.5
#: Scenes of fewer stops than this, between the darkest and the brightest hundredth, get more contrast.
_FLAT_RANGE, _MOST_CONTRAST = 7.0, 1.35


@dataclass(frozen=True)
class AutomaticLight:
    """Automatic values: EV of exposure, placement and ends, and the contrast factor."""

    exposure: float
    shadows: float
    highlights: float
    white: float
    black: float
    contrast: float


@dataclass(frozen=True)
class Start:
    """A starting point.

    Attributes
    ----------
    title, help : str
    brighter : float
        EV.
    followed : float
        Share of the way that the picture goes with the eye into the dark.
    opened : float
        Share by which shadows are opened that are too dark.
    held : float
        EV by which highlights are held at most.
    contrast : float
        Factor.
    black : float
        Share of the picture that may become black.
    """

    title: str
    help: str
    brighter: float = 0.0
    followed: float = _FOLLOWED
    opened: float = 1.0
    held: float = 4.0
    contrast: float = 1.0
    black: float = 0.002


#: Starting points of the Light station; the first is what automatic values come to.
STARTS = {
    "as-it-was": Start("As it was", "As bright as the scene was, for an eye that came to it from a lit room."),
    "even": Start("Even", "Everything can be read, as if there were more light.", brighter=0.5, followed=0.0, held=6.0),
    "dramatic": Start(
        "Dramatic",
        "The dark stays black, and lights are held.",
        followed=0.75,
        opened=0.0,
        held=6.0,
        contrast=1.2,
        black=0.03,
    ),
}


def key_of(luminance: float) -> float:
    """The key, in shares of white, of a scene to whose luminance in cd/m² the eye is adapted.

    Krawczyk, Myszkowski and Seidel 2005, "Lightness perception in tone reproduction for high dynamic range images",
    equation 11.
    """
    return 1.03 - 2.0 / (2.0 + float(np.log10(luminance + 1.0)))


def night_ev(luminance: float | None) -> float:
    """EV by which the bulk of a scene of a luminance in cd/m² seems brighter than a lit street; 0 if unknown."""
    if luminance is None:
        return 0.0
    return min(float(np.log2(key_of(luminance) / key_of(_BRIGHT_STREET))), _BY_DAY)


@lru_cache(maxsize=64)
def automatic_light(scene: SceneLight, start: str = "as-it-was") -> AutomaticLight:
    """Automatic values for the Light station, from a starting point of `STARTS`."""
    look = STARTS[start]
    seen = night_ev(scene.luminance)
    darker = look.followed * seen if seen < 0 else seen
    exposure = float(np.clip(_BULK_TONE + darker + look.brighter - scene.bulk(), -12.0, 12.0))
    dark, bright = scene.quantile(0.05) + exposure, scene.quantile(0.99) + exposure
    horizon = scene.noise_horizon + exposure
    # Lifting acts in full six stops below the middle and in part above.
    shadows = look.opened * float(np.clip(_DARK_TONE + min(darker, 0.0) - dark, 0.0, 4.0))
    shadows = min(shadows, max(_NOISE_TONE - horizon, 0.0))
    share = _share((bright - MIDDLE_GREY) / LIGHT_SPAN)
    highlights = 0.0
    if bright > _BRIGHT_TONE:
        highlights = -float(np.clip((bright - _BRIGHT_TONE) / max(share, 0.15), 0.0, look.held))
    span = scene.quantile(0.99) - scene.quantile(0.01)
    contrast = look.contrast * float(np.clip(_FLAT_RANGE / max(span, 1.0), 1.0, _MOST_CONTRAST))
    stops = np.linspace(-32, 16, 1537)
    placed = stops + placement_ev(stops, shadows, highlights, [], exposure)

    def tone(share: float) -> float:
        placed_on = float(np.interp(scene.quantile(share) + exposure, stops, placed))
        return MIDDLE_GREY + contrast * (placed_on - MIDDLE_GREY)

    white = float(np.clip(tone(0.9995) + 1.0, 0.0, 3.0))
    black = float(np.clip(tone(look.black) - 0.5, -14.0, -7.5))
    return AutomaticLight(*(round(float(v), 2) for v in (exposure, shadows, highlights, white, black, contrast)))


def start_values(scene: SceneLight, start: str) -> dict[str, float]:
    """What a starting point of `STARTS` comes to in a scene, by ``step.parameter``.

    Raises
    ------
    CrennError
        If there is none of the name.
    """
    if start not in STARTS:
        raise CrennError(f"There is no starting point “{start}”.", remedy="Known are: " + ", ".join(STARTS) + ".")
    found = automatic_light(scene, start)
    return {
        "exposure.ev": found.exposure,
        "placement.shadows": found.shadows,
        "placement.highlights": found.highlights,
        "tone.contrast": found.contrast,
        "ends.white": found.white,
        "ends.black": found.black,
    }


def _share(x: float) -> float:
    x = min(max(x, 0.0), 1.0)
    return x * x * (3 - 2 * x)
