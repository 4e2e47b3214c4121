"""Runs the effects of Finish over a view, or over a band: what is wide comes from the whole picture, reduced."""

from collections.abc import Callable
from typing import Literal, Protocol

import cv2
import numba as nb
import numpy as np

from crenn.core.areas.found.part import Found
from crenn.core.areas.part import Part
from crenn.core.colorimetry.spaces import luminance
from crenn.core.colorimetry.stops import stops_of
from crenn.core.pipeline.effects import WHOLE, WIDE, Amount, Effect, Spread, Surroundings
from crenn.core.pipeline.instructions import EVERYWHERE, table_stops
from crenn.core.pipeline.planes import LATTICE
from crenn.core.render.planes import around
from crenn.core.render.view import View
from crenn.core.render.window import Window

#: Luminance of the picture from which on it is called white.
_WHITE = 0.98


class Below(Protocol):
    """What effects act on."""

    def main(self, view: View) -> np.ndarray:
        """The light of a view after the program's instructions of light, float32 (h, w, 3)."""
        ...

    def scene(self, view: View) -> np.ndarray:
        """The scene's own light of a view, float32 (h, w, 3)."""
        ...

    def masks(self, view: View) -> np.ndarray:
        """Masks of the areas, uint16 (A, h, w)."""
        ...

    def share(self, part: Part, view: View) -> np.ndarray:
        """How far places of a view belong to a part of an area, float32 (h, w)."""
        ...

    def keep(
        self, view: View, depends: tuple, but: tuple[str, ...] | None, make: Callable[[], np.ndarray]
    ) -> np.ndarray:
        """What is made of a view, kept by what it depends on and the treatment, some steps left out; or by the view
        alone."""
        ...


def white_of(display: np.ndarray) -> float:
    """The stop from which on a display's table, float64 (TABLE_SIZE,), shows white."""
    return float(table_stops()[min(int(np.argmax(display >= _WHITE * display[-1])), display.size - 1)])


class Finishing:
    """Effects over the light of one treatment's picture.

    Parameters
    ----------
    below : Below
    effects : sequence of Effect
    white : float
        See `white_of`.
    """

    def __init__(self, below: Below, effects: list[Effect], white: float):
        self._below, self._effects, self.white = below, effects, white

    def light(self, view: View) -> np.ndarray:
        """The light of a view after all effects, float32 (h, w, 3)."""
        return self._after(view, len(self._effects))

    def margin(self, long_side: int) -> int:
        """Full-size pixels around a window that all effects together look at, by the longer side of the picture."""
        return int(np.ceil(sum(effect.reach(long_side) for effect in self._effects)))

    def _after(self, view: View, count: int) -> np.ndarray:
        """The light of a view after some effects."""
        long_side = max(view.frame.size)
        # What is wide does not grow the margin: it is found on the whole picture.
        reaches = [effect.reach(long_side) * min(view.scale, 1.0) for effect in self._effects[:count]]
        larger, rows, columns = _grown(view, sum(reaches))
        light = self._below.main(larger)
        for number, effect in enumerate(self._effects[:count]):
            light = self._acted(effect, light, larger, number)
            # What the effects to come do not look at is let go.
            larger, *rest = _grown(view, sum(reaches[number + 1 :]))
            top, left = rows.start - rest[0].start, columns.start - rest[1].start
            light = np.ascontiguousarray(light[top : top + larger.shape[0], left : left + larger.shape[1]])
            rows, columns = rest
        return light

    def before(self, name: str, view: View) -> tuple[np.ndarray, Surroundings]:
        """What an effect of a name sees in a view: the light, float32 (h, w, 3), and what is around."""
        names = [effect.name for effect in self._effects]
        count = names.index(name) if name in names else len(names)
        return self._after(view, count), _Around(self, view, count)

    def _acted(self, effect: Effect, light: np.ndarray, view: View, number: int) -> np.ndarray:
        amount = self._amount(effect, view)
        after = np.asarray(effect.apply(light, amount, _Around(self, view, number)), np.float32)
        if effect.way != "light":
            before_y, after_y = (np.maximum(luminance(v), np.float32(1e-9))[..., None] for v in (light, after))
            after = light * (after_y / before_y) if effect.way == "lightness" else after * (before_y / after_y)
        return after if effect.opacity == 1 else light + np.float32(effect.opacity) * (after - light)

    def _amount(self, effect: Effect, view: View) -> Amount:
        everywhere = sum(amount for area, amount in effect.amounts if area == EVERYWHERE)
        bent = [(area, amount) for area, amount in effect.amounts if area != EVERYWHERE]
        if not bent:
            return float(np.clip(everywhere, effect.low, effect.high))
        masks = self._below.masks(view)
        total = np.full(view.shape, everywhere, np.float32)
        for area, amount in bent:
            total += np.float32(amount / 65535) * masks[area]
        return np.clip(total, effect.low, effect.high)[..., None]

    def whole(self, view: View, count: int) -> np.ndarray:
        """The light of the whole picture, reduced, after some effects, float32 (h, w, 3)."""
        whole = self.whole_view(view)
        return self.kept(whole, count, ("whole",), lambda: self._after(whole, count))

    def kept(
        self, view: View, count: int, depends: tuple, make: Callable[[], np.ndarray], of_light: bool = True
    ) -> np.ndarray:
        """What is made of a view whose light some effects have gone over; those that follow change nothing of it."""
        but = tuple(e.name for e in self._effects[count:]) if of_light else None
        return self._below.keep(view, (count, *depends), but, make)

    @staticmethod
    def whole_view(view: View) -> View:
        """The whole picture of a view, reduced."""
        return view.through(Window.whole(view.frame.size, WHOLE)).coarse()

    def found(self, what: Literal["lamps", "stars", "sky", "water"], view: View) -> np.ndarray:
        return self._below.share(Found(what=what), view)

    def noise(self, view: View) -> np.ndarray:
        """Deviation of luminance in EV, by the scene's light, as far as it is left in a view of this size."""
        stops = stops_of(self._below.scene(view), view.source.floor)
        told = around(view.source, view.scale, view.frame).noise
        if told is None:
            return np.zeros(view.shape, np.float32)
        return np.asarray(told(stops) * min(view.scale, 1.0), np.float32)


def _grown(view: View, reach: float) -> tuple[View, slice, slice]:
    return view.grown(int(np.ceil(reach)), LATTICE if reach else 1)


class _Around:
    """A `crenn.core.pipeline.effects.Surroundings` of a view, as one effect sees it."""

    def __init__(self, finishing: Finishing, view: View, number: int):
        self._finishing, self._view, self._number = finishing, view, number
        self.scale, self.size, self.white = view.scale, view.frame.size, finishing.white

    def spread(
        self, depends: tuple, of: Callable[[np.ndarray, Surroundings], np.ndarray], light: np.ndarray, parts: Spread
    ) -> np.ndarray:
        whole_view = self._finishing.whole_view(self._view)
        wide = [(share, sigma * whole_view.scale) for share, sigma in parts if sigma * whole_view.scale >= WIDE]
        near = [(share, sigma * self.scale) for share, sigma in parts if sigma * whole_view.scale < WIDE]

        def on_whole() -> np.ndarray:
            around = _Around(self._finishing, whole_view, self._number)
            return _summed(of(self._finishing.whole(self._view, self._number), around), wide)

        out = _summed(of(light, self), near) if near else None
        if wide:
            found = self._finishing.kept(whole_view, self._number, ("spread", *depends), on_whole)
            far = self._sampled(found, whole_view)
            out = far if out is None else out + far
        assert out is not None
        return out

    def _sampled(self, field: np.ndarray, whole: View) -> np.ndarray:
        """A field of the whole picture in the view, float32 (h, w, C)."""
        # By their own places, to the digit: OpenCV rounds places to 1/32 of a pixel.
        x, y = self.at()
        down = _between(y * whole.shape[0] / self.size[0] - 0.5, field.shape[0])
        across = _between(x * whole.shape[1] / self.size[1] - 0.5, field.shape[1])
        out = np.empty((y.size, x.size, field.shape[2]), np.float32)
        _sample(np.ascontiguousarray(field, np.float32), *down, *across, out)
        return out

    def kept(self, depends: tuple, make: Callable[[], np.ndarray], of_light: bool = True) -> np.ndarray:
        return self._finishing.kept(self._view, self._number, depends, make, of_light)

    def at(self) -> tuple[np.ndarray, np.ndarray]:
        window, (height, width) = self._view.window, self._view.shape
        x = window.x + (np.arange(width) + 0.5) * (window.width / width)
        y = window.y + (np.arange(height) + 0.5) * (window.height / height)
        return x, y

    def place(self, place: list[float]) -> tuple[float, float]:
        x, y = self._view.frame.of_shares(np.array([place]))[0]
        return float(x), float(y)

    def noise(self) -> np.ndarray:
        return self._finishing.noise(self._view)

    def found(self, what: Literal["lamps", "stars", "sky", "water"]) -> np.ndarray:
        return self._finishing.found(what, self._view)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _sample(field, above, below, down, before, behind, across, out):
    """A field between its pixels: those before and after each place, and how far it lies from one to the other."""
    for y in nb.prange(out.shape[0]):
        one, two, share = field[above[y]], field[below[y]], down[y]
        for x in range(out.shape[1]):
            i, j, t = before[x], behind[x], across[x]
            for c in range(out.shape[2]):
                left = one[i, c] + share * (two[i, c] - one[i, c])
                right = one[j, c] + share * (two[j, c] - one[j, c])
                out[y, x, c] = left + t * (right - left)


def _between(places: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The pixels before and after places, int64, and how far each lies from one to the other, float32."""
    held = np.clip(places, 0, count - 1)
    first = np.floor(held).astype(np.int64)
    return first, np.minimum(first + 1, count - 1), (held - first).astype(np.float32)


def _summed(image: np.ndarray, parts: Spread) -> np.ndarray:
    """A sum of blurs, each with a share and a deviation in pixels."""
    out = np.zeros_like(image)
    for share, sigma in parts:
        out += np.float32(share) * (image if sigma < 0.3 else _gaussian(image, sigma))
    return out


def _gaussian(image: np.ndarray, sigma: float) -> np.ndarray:
    """A blur that keeps energy within the picture; wide ones at a reduced size."""
    height, width = image.shape[:2]
    step = 1
    while sigma / (2 * step) >= 4 and min(height, width) / (2 * step) >= 8:
        step *= 2
    if step > 1:
        size = max(round(width / step), 1), max(round(height / step), 1)
        small = cv2.resize(image, size, interpolation=cv2.INTER_AREA)
        small = cv2.GaussianBlur(small, (0, 0), sigma * size[0] / width, borderType=cv2.BORDER_REFLECT)
        out = cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR)
    else:
        out = cv2.GaussianBlur(image, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    return np.asarray(out.reshape(height, width, -1), np.float32)
