"""Painted glow: strokes of soft light in the colour of the lamp that they begin at."""

from typing import Annotated

import numba as nb
import numpy as np
from pydantic import Field, field_validator, model_validator

from crenn.core.areas.brush import GRID
from crenn.core.areas.part import Id, Keyed, with_ids
from crenn.core.basis import PlaceMap
from crenn.core.colorimetry.spaces import luminance
from crenn.core.fastmath import exp2
from crenn.core.finish.line import FinishStep, LineParameters
from crenn.core.finish.pixelwise import added, coloured
from crenn.core.pipeline.effects import WHOLE, WIDE, Amount, Effect, Surroundings
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, dial

#: Strokes at most, and places of each.
_MOST, _POINTS = 200, 400
#: Light of a stroke at 100 %, in EV to where the picture turns white; EV by which it has fallen at its radius.
_BRIGHT, _FALL = -2.0, 3.0
#: The lamp's colour is that of the light within this many radii of where a stroke begins, the brighter the more, but
#: for what lies over white by more EV than this.
_PICKED, _MOST_EV = 0.5, 1.0


class GlowStroke(Keyed):
    """One stroke, from the lamp outwards; ``points`` as those of a brush."""

    id: Id = Field("", description="what it is known by; given to it if empty")
    points: list[Annotated[int, Field(ge=-4 * GRID, le=5 * GRID)]] = Field(
        min_length=2, max_length=2 * _POINTS, description="x, y, then by how much each next place differs"
    )
    radius: float = Field(ge=0.002, le=0.25, description="in shares of the scene's longer side, where it begins")
    strength: float = Field(100.0, ge=1, le=100, description="light, in % of the brightest")

    @model_validator(mode="after")
    def _in_pairs(self) -> "GlowStroke":
        if len(self.points) % 2:
            raise ValueError("each place of a stroke needs x and y")
        return self

    def places(self) -> np.ndarray:
        """Where it goes, in shares of the scene's longer side, float64 (N, 2)."""
        return np.cumsum(np.array(self.points, np.float64).reshape(-1, 2), 0) / GRID

    def moved(self, by: PlaceMap) -> "GlowStroke":
        """The stroke where a map of places takes it."""
        places = self.places()
        whole = np.round(by.at(places) * GRID).astype(np.int64)
        radius = float(np.clip(self.radius * by.scale(places[0].tolist()), 0.002, 0.25))
        return self.changed(points=np.concatenate([whole[:1], np.diff(whole, axis=0)]).ravel().tolist(), radius=radius)


class PaintedParameters(LineParameters):
    amount: float = dial(
        100.0, "%", 0, 200, 1, "Painted glow", "How bright all that was painted is.", bend=Bend("add", -200, 200, 1)
    )
    grow: float = dial(150.0, "%", 0, 500, 5, "Growing", "By how much a stroke is wider at its end.")
    colour: float = dial(100.0, "%", 0, 200, 1, "Colour", "From grey over the lamp's own colour to twice as strong.")
    strokes: list[GlowStroke] = Field(default_factory=list, max_length=_MOST, description="Strokes of light.")

    @field_validator("strokes")
    @classmethod
    def _known_apart(cls, strokes: list[GlowStroke]) -> list[GlowStroke]:
        return with_ids(strokes, "s")

    def moved(self, by: PlaceMap) -> "PaintedParameters":
        return self.model_copy(update={"strokes": [stroke.moved(by) for stroke in self.strokes]})


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _drawn(x, y, px, py, radius, fall, out):
    """The most light that a line of places, each with a radius, gives each pixel, at its brightest 1."""
    count = px.size
    for row in nb.prange(y.size):
        for column in range(x.size):
            least = np.float32(1e30)
            for k in range(max(count - 1, 1)):
                ax, ay, r = px[k], py[k], radius[k]
                t = np.float32(0)
                if count > 1:
                    dx, dy = px[k + 1] - ax, py[k + 1] - ay
                    long = dx * dx + dy * dy
                    if long > 0:
                        t = min(max(((x[column] - ax) * dx + (y[row] - ay) * dy) / long, np.float32(0)), np.float32(1))
                    ax, ay, r = ax + t * dx, ay + t * dy, r + t * (radius[k + 1] - r)
                away = ((x[column] - ax) ** 2 + (y[row] - ay) ** 2) / (r * r)
                least = min(least, away)
            # Farther than two radii nothing is left: it ends softly there.
            rest = max(np.float32(1) - least * np.float32(0.25), np.float32(0))
            out[row, column] = exp2(-fall * least) * rest


def lamp_colour(
    light: np.ndarray, x: np.ndarray, y: np.ndarray, at: tuple[float, float], radius: float, white: float
) -> np.ndarray:
    """The colour of the light about a place, float32 (3,), of luminance 1; grey where there is none."""
    rows, columns = np.flatnonzero(np.abs(y - at[1]) <= radius), np.flatnonzero(np.abs(x - at[0]) <= radius)
    if not rows.size or not columns.size:
        rows, columns = (np.array([int(np.argmin(np.abs(v - w)))]) for v, w in ((y, at[1]), (x, at[0])))
    part = light[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1].reshape(-1, 3)
    most = np.float32(2.0 ** (white + _MOST_EV))
    bright = np.maximum(luminance(part), 0)
    # What is far over white has lost its colour, and one lamp is not to speak for its glow.
    weight = np.minimum(bright, most) / np.maximum(bright, np.float32(1e-9)) * np.minimum(bright, most)
    mean = (part * weight[:, None]).sum(0)
    whole = float(luminance(mean))
    return np.asarray(mean / whole, np.float32) if whole > 0 else np.ones(3, np.float32)


class Painted(FinishStep[PaintedParameters]):
    """Light laid along strokes: the more of it the nearer, falling off as a Gaussian; strokes add up."""

    name, title, parameters, amount = "painted_glow", "Painted glow", PaintedParameters, "amount"
    folded = True

    def effect(self, parameters: PaintedParameters) -> Effect:
        strokes = tuple((*s.points, s.radius, s.strength) for s in parameters.strokes)

        def laid(of: np.ndarray, there: Surroundings) -> np.ndarray:
            x, y = there.at()
            bright = np.float32(2.0 ** (there.white + _BRIGHT))
            out = np.zeros_like(of)
            for stroke in parameters.strokes:
                places = np.array([there.place(place) for place in stroke.places().tolist()], np.float32)
                edge = np.array(there.place((stroke.places()[0] + [stroke.radius, 0]).tolist()))
                first = float(np.hypot(*(edge - places[0])))
                way = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(places, axis=0).T))])
                grown = 1 + parameters.grow / 100 * way / max(float(way[-1]), 1e-6)
                radius = (first * grown).astype(np.float32)
                (low_x, low_y), (high_x, high_y) = places.min(0), places.max(0)
                reach = 2 * radius.max()
                rows = np.flatnonzero((y >= low_y - reach) & (y <= high_y + reach))
                columns = np.flatnonzero((x >= low_x - reach) & (x <= high_x + reach))
                if not rows.size or not columns.size:
                    continue
                box = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
                share = np.empty((rows.size, columns.size), np.float32)
                line = np.ascontiguousarray(places[:, 0]), np.ascontiguousarray(places[:, 1])
                _drawn(
                    x[columns].astype(np.float32), y[rows].astype(np.float32), *line, radius, np.float32(_FALL), share
                )
                start = float(places[0, 0]), float(places[0, 1])
                colour = lamp_colour(of, x, y, start, max(_PICKED * first, 2.0 / there.scale), there.white)
                out[box] += (share * np.float32(stroke.strength / 100))[..., None] * (bright * colour)
            return out

        def apply(light: np.ndarray, amount: Amount, around: Surroundings) -> np.ndarray:
            # Light so soft is drawn on the whole picture, reduced: so each window knows where strokes begin.
            sigma = max(WIDE * max(around.size) / WHOLE, WIDE)
            depends = strokes, parameters.grow
            found = around.kept(depends, lambda: around.spread(depends, laid, light, [(1.0, sigma)]))
            if parameters.colour != 100:
                found = coloured(found, parameters.colour / 100)
            return added(light, amount, found)

        return Effect(self.name, apply, way=parameters.way, opacity=parameters.opacity / 100, high=2.0)

    def act(self, program: Program, parameters: PaintedParameters, scene: SceneLight) -> None:
        if parameters.strokes:
            super().act(program, parameters, scene)


PAINTED = Painted()
