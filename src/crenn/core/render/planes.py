"""Planes and mixes of noise for a view: what is costly about a step, made once and kept."""

import cv2
import numba as nb
import numpy as np

from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.pipeline.planes import LATTICE, NoiseMix, Plane, PlaneContext
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import LEFT
from crenn.core.render.cache import Cache
from crenn.core.render.framed import Framed, Read, layers_of
from crenn.core.render.source import Source
from crenn.core.render.view import View
from crenn.core.render.window import Window

_NO_PLANES = np.zeros((1, 1, 1), np.float32)


def around(source: Source, scale: float, frame: PictureGeometry, mix: NoiseMix | None = None) -> PlaneContext:
    """What makers of planes are told of a source's light at a scale that a mix has been taken out of."""
    # What has been cleaned has little noise left.
    left = np.float32(1.0 if mix is None else LEFT)
    return PlaneContext(scale, frame.long_side, source.floor, lambda stops: left * source.light.noise_ev(stops))


class Planes:
    """Makes light, mixes of noise and planes of views."""

    def __init__(self, framed: Framed, cache: Cache):
        self._framed, self._cache = framed, cache

    def around(self, view: View, program: Program) -> View:
        """A view with all around it that the planes of a program look at: what is read for one is read for all."""
        if view.scale > 1 or not program.planes:
            return view
        return view.grown(
            max(plane.pixels_around(view.frame.long_side, view.scale) for plane in program.planes), LATTICE
        )[0]

    def light(self, view: View, within: View | None = None) -> np.ndarray:
        """The scene's light in a view, float32 (h, w, 3); see `Framed.light`.

        It is cut from that of ``within``, if that is given: a larger view of the same picture at the same scale.
        """

        def make() -> np.ndarray:
            if within is None or within.window == view.window:
                return self._framed.light(view)
            return np.ascontiguousarray(self.light(within)[view.inside(within)])

        return self._cache.get(view, "light", (), make)

    def mix(self, view: View, mix: NoiseMix, within: View | None = None) -> np.ndarray:
        """What a mix takes out of the light of a view, float32 (3, h, w); ``within`` as of `light`."""

        def make(noise: tuple, mix: NoiseMix) -> np.ndarray:
            if within is not None and within.window != view.window:
                return np.ascontiguousarray(self.mix(within, mix)[:, *view.inside(within)])
            if view.frame.offset is None:
                # What the light loses: taken out as it lies in the scene, and resampled as the light is.
                left = self._framed.moved(view, (noise, mix), self._cleaned_behind(view, mix))
                return _lost(self.light(view), left)
            larger, rows, columns = view.grown(int(np.ceil(mix.reach * min(view.scale, 1.0))), 1)
            light = self.light(larger) if mix.reach else None
            made = mix.make(self._layers(larger, noise), light, around(view.source, view.scale, view.frame))
            return made if larger.window == view.window else np.ascontiguousarray(made[:, rows, columns])

        return self._cache.get(view, "mix", (_noise_key(view.source), mix), make)

    def _cleaned_behind(self, view: View, mix: NoiseMix) -> Read:
        """Reads light of a view's scene that a mix has been taken out of."""
        source = view.source

        def read(level: int, rows: slice, columns: slice) -> np.ndarray:
            size = source.level_size(level)
            (top, bottom, _), (left, right, _) = (s.indices(n) for s, n in zip((rows, columns), size))
            scale = size[1] / source.size[1]
            margin = int(np.ceil(mix.reach * scale))
            y, x = max(top - margin, 0), max(left - margin, 0)
            larger = slice(y, min(bottom + margin, size[0])), slice(x, min(right + margin, size[1]))
            light = np.array(source.read(level, *larger))
            told = around(source, scale, view.frame)
            _take(mix.make(layers_of(source, level, *larger), light if mix.reach else None, told), light)
            return light[top - y : bottom - y, left - x : right - x]

        return read

    def _layers(self, view: View, noise: tuple) -> np.ndarray:
        """The scene's noise layers in a view that only cuts, float32 (h, w, CHANNELS)."""
        return self._cache.get(view, "layers", (noise,), lambda noise: self._framed.layers(view))

    def cleaned(self, view: View, mix: NoiseMix | None, within: View | None = None) -> np.ndarray:
        """The light of a view with all taken out that a mix would at most, float32 (h, w, 3); ``within`` as of
        `light`."""
        if mix is None:
            return self.light(view, within)

        def make(noise: tuple, mix: NoiseMix) -> np.ndarray:
            if within is not None and within.window != view.window:
                return np.ascontiguousarray(self.cleaned(within, mix)[view.inside(within)])
            out = self.light(view).copy()
            _take(self.mix(view, mix), out)
            return out

        return self._cache.get(view, "cleaned", (_noise_key(view.source), mix), make)

    def plane(self, view: View, plane: Plane, mix: NoiseMix | None = None, within: View | None = None) -> np.ndarray:
        """A plane of a view, float32 (h, w), made of light that a mix has been taken out of; ``within`` as of
        `light`."""

        def make(noise: tuple, plane: Plane, mix: NoiseMix | None) -> np.ndarray:
            if view.scale > 1:
                return self._enlarged(view, plane, mix)
            larger, rows, columns = view.grown(plane.pixels_around(view.frame.long_side, view.scale), LATTICE)
            told = around(view.source, view.scale, view.frame, mix)
            return np.ascontiguousarray(plane.make(self.cleaned(larger, mix, within), told)[rows, columns])

        return self._cache.get(view, "plane", (() if mix is None else _noise_key(view.source), plane, mix), make)

    def _enlarged(self, view: View, plane: Plane, mix: NoiseMix | None) -> np.ndarray:
        """A plane of a view larger than life: made at full size, and enlarged as light is."""
        window = view.window
        whole = Window.of_box(window.x, window.y, window.x + window.width, window.y + window.height, view.frame.size)
        found = self.plane(view.through(whole), plane, mix)
        step = 1.0 / view.scale
        shift = np.array(
            [[step, 0, window.x - whole.x + step / 2 - 0.5], [0, step, window.y - whole.y + step / 2 - 0.5]]
        )
        flags = cv2.WARP_INVERSE_MAP | cv2.INTER_LINEAR
        return cv2.warpAffine(found, shift, view.shape[::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE)

    def of(self, view: View, program: Program) -> np.ndarray:
        """The planes of a program, float32 (P, h, w): those in EV first, then three for each mix of noise."""
        planes, mixes = tuple(program.planes), tuple(program.mixes)
        if not planes and not mixes:
            return _NO_PLANES

        def make(noise: tuple, planes: tuple[Plane, ...], mixes: tuple[NoiseMix, ...]) -> np.ndarray:
            first = mixes[0] if mixes else None
            within = self.around(view, program)
            made = [self.plane(view, plane, first, within)[None] for plane in planes]
            return np.concatenate(made + [self.mix(view, mix, within) for mix in mixes])

        return self._cache.get(view, "planes", (_noise_key(view.source), planes, mixes), make)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _take(taken, light):
    """Take planes (3, h, w) out of light (h, w, 3), in place."""
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            for c in range(3):
                light[y, x, c] -= taken[c, y, x]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _lose(light, left, out):
    for y in nb.prange(light.shape[0]):
        for c in range(3):
            for x in range(light.shape[1]):
                out[c, y, x] = light[y, x, c] - left[y, x, c]


def _lost(light: np.ndarray, left: np.ndarray) -> np.ndarray:
    """What light (h, w, 3) has beyond what is left of it, float32 (3, h, w)."""
    out = np.empty((3, *light.shape[:2]), np.float32)
    _lose(light, left, out)
    return out


def _noise_key(source: Source) -> tuple:
    """What tells the noise that has been split off from what it was."""
    noise = source.noise
    return () if noise is None else noise.key
