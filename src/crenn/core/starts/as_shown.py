"""Dials that show a scene as its camera showed it: exposure, curve, ends and saturation, fitted to its own picture."""

from functools import lru_cache

import numpy as np
from scipy.optimize import least_squares

from crenn.core.colorimetry.oklab import from_oklab, to_oklab
from crenn.core.colorimetry.spaces import MIDDLE_GREY, lightness
from crenn.core.colour.primaries import NAMES, primaries_matrix
from crenn.core.light.curve import TONES, tones_ev
from crenn.core.light.shown import shown_luminance
from crenn.core.light.tone import tone_ev
from crenn.core.pipeline.instructions import table_stops
from crenn.core.pipeline.program import FADE
from crenn.core.pipeline.scene import CameraShown

#: Tones in L* that are fitted: ends are what they are.
_DARKEST, _LIGHTEST = 0.6, 97.0
#: What a dial that is turned counts for, in L* for each EV: tones that need not be moved stay.
_STAYS = 0.35
#: Exposure, contrast, white, black, and tones of the curve, in their limits.
_LOW = np.array([-12.0, 0.4, -3.0, -16.0, *[-2.0] * len(TONES)])
_HIGH = np.array([12.0, 2.5, 3.0, -5.0, *[2.0] * len(TONES)])
_SATURATION = 0.5, 2.0
#: Degrees by which primaries are turned at most, and what a degree counts for: those of which little is seen stay.
_MOST, _TURNS = 30.0, 5e-4


def _shown(stops: np.ndarray, deep: np.ndarray, dials: np.ndarray) -> np.ndarray:
    """L* of even light of stops whose colours are so deep, float64 (N,)."""
    exposure, contrast, white, black, *tones = dials
    placed = table_stops() + tone_ev(table_stops(), contrast)
    placed = placed + tones_ev(placed, dict(zip(TONES, tones)))
    on = np.interp(stops + exposure, table_stops(), placed)
    # The display goes by half luminance and half the strongest colour, and lets what is bright by that fade to white.
    shown = shown_luminance(on + deep, white, black)
    plain = shown * 2.0**-deep
    u = np.clip((shown - FADE) / (1 - FADE), 0, 1)
    return lightness(plain + u * u * (3 - 2 * u) * (shown - plain))


def camera_values(camera: CameraShown) -> dict[str, float]:
    """Values of dials by which a scene looks as in a camera's picture, by ``step.parameter``.

    Tones are fitted by least squares, the more of the picture has them the closer, and by what departs most little
    (Huber's loss), and so are the primaries and saturation to what became of its colours.
    """
    columns = camera.stops, camera.lightness, camera.shares, camera.deep, camera.colours
    return dict(_fitted(*(column.tobytes() for column in columns), camera.saturation))


@lru_cache(maxsize=64)
def _fitted(*told: bytes | float | None) -> tuple[tuple[str, float], ...]:
    """What `camera_values` says, by the bytes of what it goes by: every look at a scene asks for it."""
    stops, shown, shares, deep, colours = (np.frombuffer(v) for v in told[:-1] if isinstance(v, bytes))
    camera = CameraShown(stops, shown, shares, deep, 0.0, 0.0, told[-1], colours.reshape(-1, 5), False)  # type: ignore[arg-type]
    inside = (camera.lightness > _DARKEST) & (camera.lightness < _LIGHTEST)
    if inside.sum() < 2:
        inside[:] = True
    stops, wanted, deep = camera.stops[inside], camera.lightness[inside], camera.deep[inside]
    weights = np.sqrt(camera.shares[inside] / camera.shares[inside].sum()) + 0.05

    def departs(dials: np.ndarray) -> np.ndarray:
        stays = _STAYS * np.array([dials[1] - 1, dials[2], *dials[4:]])
        return np.concatenate([weights * (_shown(stops, deep, dials) - wanted), stays])

    # From the exposure that suits most tones as they are.
    plain = np.array([0.0, 1.0, 0.0, -12.0, *[0.0] * len(TONES)])
    tried = [plain + [ev, *[0.0] * (len(plain) - 1)] for ev in np.arange(-6.0, 10.0, 0.5)]
    first = min(tried, key=lambda dials: float(np.abs(departs(dials)).sum()))
    found = least_squares(departs, np.clip(first, _LOW + 1e-6, _HIGH - 1e-6), bounds=(_LOW, _HIGH), loss="huber").x
    exposure, contrast, white, black, *tones = (round(float(v), 2) for v in found)
    values = {
        "exposure.ev": exposure,
        "placement.shadows": 0.0,
        "placement.highlights": 0.0,
        "placement.local": 1.0,
        "tone.contrast": contrast,
        "tone.pivot": MIDDLE_GREY,
        "ends.white": white,
        "ends.black": black,
        **_colour_values(camera),
        **{f"curve.{name}": value for name, value in zip(TONES, tones)},
    }
    return tuple(values.items())


def _colour_values(camera: CameraShown) -> dict[str, float]:
    """Saturation, and how primaries are turned and purified, by which colours come out as in a camera's picture."""
    own, shown, shares = camera.colours[:, :2], camera.colours[:, 2:4], camera.colours[:, 4]
    if not len(shares):
        return {"saturation.saturation": 1.0, **{f"primaries.{n}_hue": 0.0 for n in NAMES}}
    # How bright a colour is has no say.
    rgb = from_oklab(np.concatenate([np.ones((len(own), 1)), own], 1) * 0.5)
    weights = np.sqrt(shares / shares.sum())[:, None]

    def departs(dials: np.ndarray) -> np.ndarray:
        lab = to_oklab(rgb @ primaries_matrix(dials[1:], np.ones(3)).T)
        found = dials[0] * lab[:, 1:] / np.maximum(lab[:, :1], 1e-6)
        return np.concatenate([(weights * (found - shown)).ravel(), _TURNS * dials[1:]])

    low, high = np.array([_SATURATION[0], *[-_MOST] * 3]), np.array([_SATURATION[1], *[_MOST] * 3])
    first = np.array([float(np.clip(camera.saturation or 1.0, low[0] + 1e-6, high[0] - 1e-6)), 0.0, 0.0, 0.0])
    found = least_squares(departs, first, bounds=(low, high), x_scale=[0.1, 5, 5, 5]).x
    hues = {f"primaries.{name}_hue": round(2 * float(v)) / 2 for name, v in zip(NAMES, found[1:])}
    return {"saturation.saturation": round(float(found[0]), 2), **hues}
