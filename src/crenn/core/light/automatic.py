"""What the scene's histogram suggests: the automatic values of the Light station."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from crenn.core.colour.spaces import MIDDLE_GREY
from crenn.core.light.rungs import LIGHT_SPAN, placement_ev
from crenn.core.pipeline.scene import SceneLight

#: Tone, in EV below white, on which the bulk of the scene is put: under middle grey, as it is night.
_BULK_TONE = -2.75
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


@lru_cache(maxsize=64)
def automatic_light(scene: SceneLight) -> AutomaticLight:
    """Automatic values for the Light station."""
    exposure = float(np.clip(_BULK_TONE - scene.bulk(), -12.0, 12.0))
    dark, bright = scene.quantile(0.05) + exposure, scene.quantile(0.99) + exposure
    horizon = scene.noise_horizon + exposure
    # Lifting acts in full six stops below the middle and in part above.
    shadows = np.clip(_DARK_TONE - dark, 0.0, 4.0)
    shadows = min(shadows, max(_NOISE_TONE - horizon, 0.0))
    share = _share((bright - MIDDLE_GREY) / LIGHT_SPAN)
    highlights = -np.clip((bright - _BRIGHT_TONE) / max(share, 0.15), 0.0, 6.0) if bright > _BRIGHT_TONE else 0.0
    span = scene.quantile(0.99) - scene.quantile(0.01)
    contrast = np.clip(_FLAT_RANGE / max(span, 1.0), 1.0, _MOST_CONTRAST)
    stops = np.linspace(-32, 16, 1537)
    placed = stops + placement_ev(stops, float(shadows), float(highlights), [], exposure)

    def tone(share: float) -> float:
        placed_on = float(np.interp(scene.quantile(share) + exposure, stops, placed))
        return MIDDLE_GREY + float(contrast) * (placed_on - MIDDLE_GREY)

    white = float(np.clip(tone(0.9995) + 0.3, 0.0, 3.0))
    black = float(np.clip(tone(0.002) - 0.5, -14.0, -7.5))
    return AutomaticLight(*(round(float(v), 2) for v in (exposure, shadows, highlights, white, black, contrast)))


def _share(x: float) -> float:
    x = min(max(x, 0.0), 1.0)
    return x * x * (3 - 2 * x)
