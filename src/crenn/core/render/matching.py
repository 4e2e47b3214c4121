"""Light and colour of one picture brought to another's look, as dials that one can see.

The look is what its tones and colours come to: the mean and the spread of Oklab lightness, the mean of both opponent
axes, and the mean chroma (statistics as of Reinhard and others 2001, "Color transfer between images"); by tone, the
lightness that shares of the picture are darker than, and the colour of its thirds. Dials are found by steps of Gauss
and Newton on a small picture.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from crenn.core.colorimetry.oklab import to_oklab
from crenn.core.colorimetry.spaces import SRGB_TO_XYZ, XYZ_TO_REC2020, srgb_decode
from crenn.core.light.curve import TONES
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

#: Longer side of the pictures that are compared; steps at most; weights of what is compared.
_SIDE, _TURNS = 240, 6
_WEIGHTS = np.array([3.0, 2.0, 4.0, 4.0, 2.0])
#: By how much each dial is moved to see what it does, and within what it stays.
_DIALS = {
    ("exposure", "ev"): (0.2, -12.0, 12.0),
    ("tone", "contrast"): (0.08, 0.6, 1.8),
    ("saturation", "saturation"): (0.1, 0.3, 2.0),
    ("white_balance", "temperature"): (8.0, 1e6 / 20000, 1e6 / 1800),
    ("white_balance", "tint"): (4.0, -60.0, 60.0),
}
#: The same of those that act by tone.
_TONE_DIALS = {("curve", name): (0.1, -1.0, 1.0) for name in TONES} | {
    ("tones", f"{tone}_{channel}"): (0.04, -0.5, 0.5)
    for tone in ("shadows", "midtones", "highlights")
    for channel in ("red", "blue")
}
#: Shares of the picture whose lightness is compared by tone, and the weights of that and of the colour of tones.
_SHARES, _BY_TONE, _BY_COLOUR = (0.1, 0.3, 0.5, 0.7, 0.9), 1.5, 3.0
#: Damping of a step, and a share of what is compared below which the look is met.
_DAMPING, _MET = 0.02, 0.003
#: A step and the dial of it.
Path = tuple[str, str]


@dataclass(frozen=True)
class Look:
    """What a picture's tones and colours come to, in Oklab.

    Attributes
    ----------
    values : ndarray, float64 (5,)
        Mean and spread of lightness, means of both opponent axes, and mean chroma.
    tones : ndarray, float64 (5,)
        Lightness that shares of the picture are darker than.
    colours : ndarray, float64 (3, 2)
        Means of both opponent axes of the darkest, the middle and the brightest third.
    """

    values: np.ndarray
    tones: np.ndarray
    colours: np.ndarray

    @classmethod
    def of(cls, renderer: Renderer, treatment: Treatment) -> "Look":
        """That of a treatment's picture."""
        window = Window.whole(renderer.frame(treatment).size, _SIDE)
        codes = renderer.picture(treatment, window, 16, fine=False)[0] / 65535
        lab = to_oklab(srgb_decode(codes) @ (XYZ_TO_REC2020 @ SRGB_TO_XYZ).T).reshape(-1, 3)
        chroma = np.hypot(lab[:, 1], lab[:, 2])
        thirds = np.array_split(lab[np.argsort(lab[:, 0], kind="stable"), 1:], 3)
        return cls(
            np.array([lab[:, 0].mean(), lab[:, 0].std(), lab[:, 1].mean(), lab[:, 2].mean(), chroma.mean()]),
            np.quantile(lab[:, 0], _SHARES),
            np.array([third.mean(0) for third in thirds]),
        )

    @property
    def whole(self) -> np.ndarray:
        """What dials of the whole picture are found by, weighted."""
        return _WEIGHTS * self.values

    @property
    def by_tone(self) -> np.ndarray:
        """What dials of tones are found by, weighted."""
        return np.concatenate([_BY_TONE * self.tones, _BY_COLOUR * self.colours.ravel()])


def matched(
    renderer: Renderer, treatment: Treatment, look: Look, automatic: dict[str, float], by_tone: bool = False
) -> Treatment:
    """A treatment whose dials bring its picture near a look.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    look : Look
    automatic : dict of str to float
        What automatic values of the scene come to, by ``step.parameter``.
    by_tone : bool
        Whether, after exposure, contrast, saturation and white, tones of the curve and the balance of shadows, midtones
        and highlights are moved as well.
    """
    found = _nearer(renderer, treatment, _DIALS, automatic, look, lambda one: one.whole)
    if not by_tone:
        return found
    return _nearer(renderer, found, _TONE_DIALS, automatic, look, lambda one: one.by_tone)


def _nearer(
    renderer: Renderer,
    treatment: Treatment,
    dials: Mapping[Path, tuple[float, float, float]],
    automatic: dict[str, float],
    look: Look,
    told: Callable[[Look], np.ndarray],
) -> Treatment:
    """A treatment some of whose dials bring what is told of its look nearer to another's, by damped Gauss-Newton."""
    names = list(dials)
    now = np.array([_start(treatment, path, automatic) for path in names])
    best, least = now, np.inf
    for _ in range(_TURNS):
        here = told(Look.of(renderer, _with(treatment, names, now)))
        off = told(look) - here
        if (error := float(off @ off)) < least:
            best, least = now, error
        else:
            break
        if error < _MET**2:
            break
        slopes = np.empty((off.size, now.size))
        for k, path in enumerate(names):
            step = dials[path][0]
            moved = now.copy()
            moved[k] += step
            slopes[:, k] = told(Look.of(renderer, _with(treatment, names, moved))) - here
        # In steps of each dial, so that none counts more for its unit.
        normal = slopes.T @ slopes
        way = np.linalg.solve(normal + _DAMPING * np.trace(normal) / now.size * np.eye(now.size), slopes.T @ off)
        way = np.clip(way, -6, 6) * [dials[path][0] for path in names]
        now = np.clip(now + way, [dials[p][1] for p in names], [dials[p][2] for p in names])
    return _with(treatment, names, best)


def _start(treatment: Treatment, path: Path, automatic: dict[str, float]) -> float:
    step, name = path
    value = getattr(getattr(treatment, step), name)
    value = automatic.get(f"{step}.{name}", 5500.0 if name == "temperature" else 0.0) if value is None else value
    return 1e6 / value if name == "temperature" else float(value)


def _with(treatment: Treatment, names: list[Path], values: np.ndarray) -> Treatment:
    changes: dict[str, dict[str, float]] = {}
    for (step, name), value in zip(names, values):
        changes.setdefault(step, {"on": True})[name] = _rounded(name, float(value))
    return treatment.with_sections(
        **{step: getattr(treatment, step).model_copy(update=own) for step, own in changes.items()}
    )


def _rounded(name: str, value: float) -> float:
    if name == "temperature":
        return float(round(1e6 / value))
    return round(value, 1 if name == "tint" else 2)
