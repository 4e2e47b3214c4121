"""What the scene's light suggests: the automatic values of the Light station.

How bright the bulk of the picture is shown follows from how bright the scene was: the eye adapts to a night only in
part, and a picture of one that is as bright as a day is no picture of a night.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from crenn.core.colorimetry.spaces import MIDDLE_GREY, lightness
from crenn.core.light.rungs import LIGHT_SPAN, placement_ev
from crenn.core.light.shown import shown_luminance
from crenn.core.pipeline.scene import SceneLight

#: Tone, in EV below white, on which the bulk of a scene is put that is as bright as a lit street in a city, or of which
#: nothing is known; by day it is put higher, and in surroundings that are nothing but black by up to so much.
_BULK_TONE = -3.25
_BRIGHT_STREET, _BY_DAY, _IN_BLACK = 10.0, 0.8, 1.0
#: EV by which the colours of most scenes make them look brighter than grey: what is more has a say.
_USUAL_COLOUR = 0.33
#: EV by which the brightest light of most scenes is shown as brighter than its luminance.
_USUAL_DEEP = 0.35
#: Share of the way from there that a picture goes with the eye: it is seen on a screen, by one who has not come in from
#: the night.
_FOLLOWED = 0.55
#: The darkest twentieth should not fall below this tone.
_DARK_TONE = -6.0
#: The brightest hundredth is held to this tone; bare lamps above it may burn out.
_BRIGHT_TONE = -0.1
#: A bright subject stays below this tone.
_SUBJECT_TONE = -0.4
#: Noise at the horizon should not be lifted above this tone.
_NOISE_TONE = -6.5
#: Scenes of fewer stops than this, between the darkest and the brightest hundredth, get more contrast.
_FLAT_RANGE, _MOST_CONTRAST = 7.0, 1.12
#: What departs from its neighbourhood is stretched by so much in scenes of up to so many stops, and from so many on:
#: much in few stops is hard on faces, and little in many leaves them flat.
_NARROW, _WIDE, _LOCAL = 7.0, 11.0, (1.15, 1.6)
#: A lone frame is shown at most so many times as bright in L* as its camera showed it, unless it was held down on
#: purpose: a tenth of the camera's picture is then no brighter than this, of 1.
_BRIGHTER, _HELD_DOWN = 1.3, 0.1
#: EV within which an exposure is looked for that keeps what is asked of it, and how often it is halved.
_SEARCHED, _HALVED = 12.0, 16


@dataclass(frozen=True)
class AutomaticLight:
    """Automatic values: EV of exposure, placement and ends, and the factors of contrast and local contrast."""

    exposure: float
    shadows: float
    highlights: float
    white: float
    black: float
    contrast: float
    local: float


#: What leaves a finished picture as it is.
_UNTOUCHED = AutomaticLight(0.0, 0.0, 0.0, 0.0, -16.0, 1.0, 1.0)


@dataclass(frozen=True)
class Look:
    """What a start wants of a scene's light.

    Attributes
    ----------
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
    as_shown : bool
        Whether a lone frame is not shown much brighter than its camera showed it.
    """

    brighter: float = 0.0
    followed: float = _FOLLOWED
    opened: float = 1.0
    held: float = 4.0
    contrast: float = 1.0
    black: float = 0.002
    as_shown: bool = True


#: What automatic values are for: as bright as the scene was.
AS_IT_WAS = Look()


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
def automatic_light(scene: SceneLight, look: Look = AS_IT_WAS) -> AutomaticLight:
    """Automatic values for the Light station, for a look; a finished picture is left as it is by the first."""
    if scene.capture.finished and look == AS_IT_WAS:
        return _UNTOUCHED
    seen = _BY_DAY if scene.capture.day else night_ev(scene.luminance)
    darker = look.followed * seen if seen < 0 else seen
    bulk = scene.bulk() + scene.coloured_ev - _USUAL_COLOUR
    tone = _BULK_TONE + darker + look.brighter + _IN_BLACK * (1 - scene.seen)
    exposure = float(np.clip(tone - bulk, -12.0, 12.0))
    found = _values(scene, look, darker, exposure)
    if not _too_bright(scene, look, found):
        return found
    low, high = -_SEARCHED, 0.0
    for _ in range(_HALVED):
        middle = (low + high) / 2
        found = _values(scene, look, darker, max(exposure + middle, -12.0))
        low, high = (low, middle) if _too_bright(scene, look, found) else (middle, high)
    return _values(scene, look, darker, max(exposure + low, -12.0))


def _values(scene: SceneLight, look: Look, darker: float, exposure: float) -> AutomaticLight:
    """Values that go with an exposure."""
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
    local = _LOCAL[0] + (_LOCAL[1] - _LOCAL[0]) * _share((span - _NARROW) / (_WIDE - _NARROW))
    found = AutomaticLight(exposure, shadows, highlights, 0.0, -14.0, contrast, local)
    tones = _tones(found, scene.quantile(0.9995), scene.quantile(look.black))
    deep = max(scene.deep_ev - _USUAL_DEEP, 0.0)
    white = float(np.clip(tones[0] + 1.0 + deep, 0.0, 3.0))
    black = float(np.clip(tones[1] - 0.5, -14.0, -7.5))
    values = exposure, shadows, highlights, white, black, contrast, local
    return AutomaticLight(*(round(float(v), 2) for v in values))


_STOPS = np.linspace(-32, 16, 1537)


def _tones(found: AutomaticLight, *stops: float) -> np.ndarray:
    """On which tones stops of even light are put before the ends, float64 (N,)."""
    placed = _STOPS + placement_ev(_STOPS, found.shadows, found.highlights, [], found.exposure)
    on = np.interp(np.array(stops) + found.exposure, _STOPS, placed)
    return MIDDLE_GREY + found.contrast * (on - MIDDLE_GREY)


def _too_bright(scene: SceneLight, look: Look, found: AutomaticLight) -> bool:
    """Whether a bright subject would burn out, or a lone frame look brighter than it may."""
    if scene.subject is not None and _tones(found, scene.subject)[0] > _SUBJECT_TONE:
        return True
    camera = scene.camera
    if camera is None or not camera.single or not look.as_shown or camera.brightest < _HELD_DOWN:
        return False
    centres = scene.start + scene.bin * (np.arange(scene.histogram.size) + 0.5)
    shown = lightness(shown_luminance(_tones(found, *centres), found.white, found.black))
    return float((shown * scene.histogram).sum() / scene.histogram.sum()) > _BRIGHTER * camera.mean


def _share(x: float) -> float:
    x = min(max(x, 0.0), 1.0)
    return x * x * (3 - 2 * x)
