"""The curve: tones moved by points, on luminance and on each colour."""

from collections.abc import Mapping
from itertools import pairwise
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from scipy.interpolate import PchipInterpolator

from crenn.core.pipeline.instructions import table_stops
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, choice, dial

#: The curve's ends: where no point says otherwise, light of these stops stays where it is.
LOW, HIGH = -10.0, 0.0
#: Points lie at least so far apart, in stops of the light that enters.
APART = 0.05
_LEAST, _MOST = -20.0, 8.0
#: Points by which a veil is taken off a colour.
_ALONG = 7


class CurvePoint(BaseModel):
    """Light of a stop, put on another. Stops are relative to the picture's nominal white."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    at: float = Field(ge=_LEAST, le=_MOST, description="stop of the light that enters the curve")
    to: float = Field(ge=_LEAST, le=_MOST, description="stop on which it is put")


def _rising(points: list[CurvePoint]) -> list[CurvePoint]:
    points = sorted(points, key=lambda p: p.at)
    for one, other in pairwise(points):
        if other.at - one.at < APART:
            raise ValueError(f"two points of a curve stand on the same light, {one.at:g} EV")
        if other.to < one.to:
            raise ValueError(f"the curve falls between {one.at:g} and {other.at:g} EV: brighter light must stay so")
    return points


Points = Annotated[list[CurvePoint], Field(max_length=24), AfterValidator(_rising)]


#: Stops relative to the picture's white about which tones are moved by dials of their own, from the darkest up.
TONES = {"deep": -9.0, "dark": -6.5, "middle": -4.0, "light": -2.0, "bright": -0.5}


def _tone(title: str, which: str) -> Any:
    help = f"Brightens or darkens {which}, about {TONES[title.lower()]:g} EV, and less and less what lies around."
    return dial(0.0, "EV", -2, 2, 0.05, f"{title} tones", help, bend=Bend("add", -2, 2, 0.05))


class CurveParameters(StepParameters):
    deep: float = _tone("Deep", "the deepest darks")
    dark: float = _tone("Dark", "darks")
    middle: float = _tone("Middle", "middle tones")
    light: float = _tone("Light", "light tones")
    bright: float = _tone("Bright", "the brightest")
    colour: Literal["kept", "film"] = choice(
        "kept",
        "Colour",
        "Kept: points on luminance leave hue and saturation. As film: each colour goes through them, so that "
        "steepness brings saturation and brightness takes it.",
        {"kept": "Kept", "film": "As film"},
    )
    points: Points = Field(default_factory=list, description="Points on luminance.")
    red: Points = Field(default_factory=list, description="Points on red.")
    green: Points = Field(default_factory=list, description="Points on green.")
    blue: Points = Field(default_factory=list, description="Points on blue.")


def curve_ev(stops: np.ndarray, points: list[CurvePoint]) -> np.ndarray:
    """EV that a curve adds at stops relative to nominal white.

    Monotone cubic pieces go through the points (Fritsch and Butland 1984) and, where no point lies as far out, through
    the ends `LOW` and `HIGH`, which stay. Farther out the shift stays what it is at the outermost.

    Parameters
    ----------
    stops : ndarray (N,)
    points : list of CurvePoint
        Rising in both.
    """
    if not points:
        return np.zeros_like(stops)
    known = [(p.at, p.to) for p in points]
    # An end that lies beyond a point's light or tone would turn the curve back.
    if min(known[0]) > LOW + APART:
        known.insert(0, (LOW, LOW))
    if max(known[-1]) < HIGH - APART:
        known.append((HIGH, HIGH))
    at, to = np.array(known).T
    if len(known) == 1:
        return np.full_like(stops, to[0] - at[0])
    inside = np.clip(stops, at[0], at[-1])
    # Where the curve is level, slopes of nothing are divided by: their mean is nothing, as it should be.
    with np.errstate(all="ignore"):
        return np.asarray(PchipInterpolator(at, to)(inside) - inside)


def tones_ev(stops: np.ndarray, moved: Mapping[str, float]) -> np.ndarray:
    """EV that dials of tones add at stops relative to nominal white; brighter light stays brighter.

    Parameters
    ----------
    stops : ndarray (N,), rising
    moved : mapping of str to float
        EV by name, as of `TONES`; those that are not named stay.
    """
    nodes, values = list(TONES.values()), [moved.get(name, 0.0) for name in TONES]
    added = PchipInterpolator(nodes, values)(np.clip(stops, nodes[0], nodes[-1]))
    return np.asarray(np.maximum.accumulate(stops + added) - stops)


class Curve(LightStep[CurveParameters]):
    """Moves tones, by dials of some and by points of any."""

    name, station, title, parameters = "curve", "light", "Curve", CurveParameters
    folded = True

    def act(self, program: Program, parameters: CurveParameters, scene: SceneLight) -> None:
        dials = {name: getattr(parameters, name) for name in TONES}
        if any(dials.values()):
            program.curve(lambda stops: tones_ev(stops, dials))
        if parameters.points and parameters.colour == "kept":
            program.curve(lambda stops: curve_ev(stops, parameters.points))
        common = parameters.points if parameters.colour == "film" else []
        if not (common or parameters.red or parameters.green or parameters.blue):
            return
        moved = curve_ev(table_stops(), common)
        colours = [moved + curve_ev(table_stops() + moved, getattr(parameters, c)) for c in ("red", "green", "blue")]
        program.channels(np.stack(colours))

    def bend(
        self, program: Program, bends: Mapping[str, float], parameters: CurveParameters, scene: SceneLight
    ) -> None:
        if any(bends.values()):
            program.curve(lambda stops: tones_ev(stops, bends))


def channel_ends(histograms: np.ndarray, stops: np.ndarray, share: float = 0.002) -> list[list[CurvePoint]]:
    """Points that give the colours the same darkest and brightest light: a haze's colour leaves, and a cast.

    Parameters
    ----------
    histograms : ndarray, float64 (4, N)
        Of luminance, red, green and blue.
    stops : ndarray (N,)
        Middles of their bins.
    share : float
        Of the picture, that lies beyond either end.

    Returns
    -------
    list of list of CurvePoint
        For red, green and blue; empty where a colour has no light to speak of.
    """

    def ends(histogram: np.ndarray) -> tuple[float, float]:
        total = np.cumsum(histogram) / max(histogram.sum(), 1e-12)
        low, high = (float(np.interp(v, total, stops)) for v in (share, 1 - share))
        return low, high

    low, high = ends(histograms[0])
    out: list[list[CurvePoint]] = []
    for histogram in histograms[1:]:
        own = ends(histogram) if histogram.sum() > 0 else (0.0, 0.0)
        if own[1] - own[0] < 1.0 or high - low < 1.0:
            out.append([])
            continue
        # What a veil has added is taken off in proportion to light; a curve over stops follows that by some points.
        to = np.linspace(low, high, _ALONG)
        way = (np.exp2(to) - np.exp2(low)) / (np.exp2(high) - np.exp2(low))
        at = np.log2(np.exp2(own[0]) + way * (np.exp2(own[1]) - np.exp2(own[0])))
        apart = np.concatenate([[True], np.diff(at) > 2 * APART])
        apart[-1] = True
        out.append([CurvePoint(at=_held(a), to=_held(t)) for a, t in zip(at[apart], to[apart])])
    return out


def _held(stop: float) -> float:
    return round(float(np.clip(stop, _LEAST, _MOST)), 2)
