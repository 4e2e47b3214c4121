"""Runs a treatment over a prepared scene: any window, at any scale."""

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import TypeVar

import cv2
import numpy as np

from crenn.core.areas.area import Area
from crenn.core.light.ends import neutral_display
from crenn.core.noise.cleaning import Box
from crenn.core.noise.layers import NoiseLayers
from crenn.core.pipeline.compile import framed
from crenn.core.pipeline.frame import Frame
from crenn.core.pipeline.planes import LATTICE, Around, Carried, NoiseMix, Plane
from crenn.core.pipeline.program import Instruction, Program
from crenn.core.pipeline.scene import LEFT
from crenn.core.pipeline.step import FrameStep
from crenn.core.render.cache import Cache
from crenn.core.render.compiled import bending, instructions_of, program_of
from crenn.core.render.framed import Framed
from crenn.core.render.grid import LAYER, BaseGrid, build_base, carry, looked_up, reduced_for_base
from crenn.core.render.lift import REACH, SIDE, Lifts, amounts, lift_of
from crenn.core.render.masks import Masks
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.rows import light_of
from crenn.core.render.show import codes_of
from crenn.core.render.window import Window, parts_in_view
from crenn.core.treatment import STEPS, Treatment

#: Longer side of the picture that grids are made from, in pixels.
_SMALL = 900
#: Pixels rendered for a picture at rest: as it lies, and where light is resampled.
_AT_REST, _AT_REST_MOVED = 3_200_000, 1_600_000
#: Reduced to less than this, a picture is not worth cleaning before the rest.
_SEEN = 0.45
K = TypeVar("K")
_NO_PLANES = np.zeros((1, 1, 1), np.float32)


@dataclass(frozen=True)
class _Found:
    """A grid that carries what a step has found on the reduced picture, and what holds for the whole."""

    grid: BaseGrid
    whole: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes


class Renderer:
    """Renders one scene; what is costly is kept as long as what it depends on stays.

    Parameters
    ----------
    scene : PreparedScene
    kept : int
        Bytes that may be kept. What is delivered is gone through once: little serves there.
    """

    def __init__(self, scene: PreparedScene, kept: int = 192 * 2**20):
        self.scene = scene
        self._cache = Cache(kept)
        self._framed = Framed(scene, self._cache)
        self.masks = Masks(self, self._cache)

    def kept(self, key: Hashable, make: Callable[[], K]) -> K:
        """Something else that is made of this scene, kept under a key as long as there is room."""
        return self._cache.get(("besides", key), make)

    def frame(self, treatment: Treatment) -> Frame:
        """How the treatment's picture lies over the scene; ``size`` is the picture's (H, W).

        Raises
        ------
        CrennError
            If the geometry cannot be.
        """
        steps = [(step, treatment.section(step)) for step in STEPS if isinstance(step, FrameStep)]

        key = ("frame", *(parameters.model_dump_json() for _, parameters in steps))
        return self._cache.get(key, lambda: framed(steps, self.scene.size, self.scene.light))

    def finer(self, frame: Frame, window: Window) -> int:
        """How many times larger a picture at rest is rendered, to be averaged: as far as the time allows."""
        budget = _AT_REST_MOVED if frame.offset is None else _AT_REST
        return int(np.clip(np.sqrt(budget / window.pixels), 1, 4))

    def small(self, frame: Frame) -> np.ndarray:
        """The whole scene reduced, float32 (h, w, 3), once the lens is corrected."""
        lens = frame.lens if frame.lens is not None and frame.lens.falloff is not None else None

        def reduced() -> np.ndarray:
            level = self.scene.level_for(_SMALL / max(self.scene.size))
            return reduced_for_base(np.asarray(self.scene.levels[level]), _SMALL)[0]

        def lit() -> np.ndarray:
            small = self._cache.get("reduced", reduced)
            if lens is None or lens.falloff is None:
                return small
            y, x = np.mgrid[: small.shape[0], : small.shape[1]]
            places = (np.stack([x.ravel(), y.ravel()], -1) + 0.5) * (self.scene.size[1] / small.shape[1])
            return np.asarray(small * np.exp2(lens.falloff(places)).reshape(*small.shape[:2], 1).astype(np.float32))

        # What compresses asks for it at each step of a dial.
        return self._cache.get(("lit", self._lit(frame)), lit)

    @staticmethod
    def _lit(frame: Frame) -> bytes:
        """What the reduced scene's light depends on."""
        return frame.lens.falloff_key if frame.lens is not None and frame.lens.falloff is not None else b""

    def base(self, frame: Frame, reach: float) -> BaseGrid:
        """The edge-aware base of the scene for a reach, in % of its longer side, once the lens is corrected."""

        def make() -> BaseGrid:
            small = self.small(frame)
            return build_base(small, self.scene.size[1] / small.shape[1], reach, self.scene.size, self.scene.floor)

        return self._cache.get(("base", round(reach, 3), self._lit(frame)), make)

    def _carried(self, frame: Frame, carried: Carried) -> tuple[BaseGrid, np.ndarray]:
        """The grid that carries values of the reduced picture, and what holds for the whole."""

        def make() -> _Found:
            small, _ = reduced_for_base(self.small(frame), carried.side)
            scale = self.scene.size[1] / small.shape[1]
            values, whole = carried.make(small, self.around(1.0 / scale, frame))
            return _Found(carry(values, small, scale, carried.reach, self.scene.size, self.scene.floor), whole)

        found = self._cache.get(("carried", carried, self._lit(frame)), make)
        return found.grid, found.whole

    def around(self, scale: float, frame: Frame, mix: NoiseMix | None = None) -> Around:
        """What makers of planes are told of light at a scale that a mix has been taken out of."""
        # What has been cleaned has little noise left.
        left = 1.0 if mix is None else LEFT
        return Around(scale, frame.long_side, self.scene.floor, lambda stops: left * self.scene.light.noise_ev(stops))

    def light(self, frame: Frame, window: Window, fine: bool = True) -> np.ndarray:
        """The scene's light in a window of the picture, float32 (h, w, 3); see `Framed.light`."""
        return self._cache.get(("light", frame.key, window, fine), lambda: self._framed.light(frame, window, fine))

    def _program(self, treatment: Treatment, display: bool = True) -> Program:
        """The program of a treatment; without cleaning where the scene's noise has not been split off yet."""
        program = program_of(treatment, self.scene.light, display)
        return program if self.scene.noise is not None or not program.mixes else program.without_cleaning()

    @property
    def _noise_key(self) -> tuple[int, int] | None:
        noise = self.scene.noise
        return None if noise is None else noise.key

    def uncleaned(self, treatment: Treatment, window: Window) -> list[Box]:
        """Parts of the scene in a window that noise is to be taken out of, and has not been split off yet.

        None where the view is so much reduced that noise is hardly seen, and while all of the scene is at hand.
        """
        noise = self.scene.noise
        if (noise is not None and noise.whole) or window.scale < _SEEN:
            return []
        if not program_of(treatment, self.scene.light).mixes:
            return []
        parts = parts_in_view(self.frame(treatment), window, self.scene.size)
        return parts if noise is None else [part for part in parts if part not in noise.done]

    def _mix(self, mix: NoiseMix, frame: Frame, window: Window, fine: bool) -> np.ndarray:
        """What is taken out of the light of a window, float32 (3, h, w)."""
        noise = self.scene.noise
        assert noise is not None

        def make() -> np.ndarray:
            larger, rows, columns = window.grown(frame.size, int(np.ceil(mix.reach * min(window.scale, 1.0))), 1)
            layers = self._layers(noise, frame, larger, fine)
            around = self.around(window.scale, frame)
            made = mix.make(layers, self.light(frame, larger, fine), around)
            return np.ascontiguousarray(made[:, rows, columns])

        return self._cache.get(("mix", noise.key, mix.key, frame.key, window, fine), make)

    def _layers(self, noise: NoiseLayers, frame: Frame, window: Window, fine: bool) -> np.ndarray:
        """The scene's noise layers in a window, float32 (h, w, CHANNELS)."""
        key = ("layers", noise.key, frame.key, window, fine)
        return self._cache.get(key, lambda: self._framed.layers(noise, frame, window, fine))

    def cleaned(self, frame: Frame, window: Window, fine: bool, mix: NoiseMix | None) -> np.ndarray:
        """The light of a window with all taken out that a mix would at most, float32 (h, w, 3)."""
        if mix is None:
            return self.light(frame, window, fine)
        key = ("cleaned", self._noise_key, mix.key, frame.key, window, fine)

        def make() -> np.ndarray:
            return self.light(frame, window, fine) - self._mix(mix, frame, window, fine).transpose(1, 2, 0)

        return self._cache.get(key, make)

    def _lift(self, treatment: Treatment, frame: Frame, display: np.ndarray) -> Lifts:
        """By how much places are lifted, and the shares of their noise that are taken; see `amounts`."""
        scene = self.scene
        # By how much single colours are brightened matters little, and would have it made anew at every touch.
        treatment = treatment.uncoloured()

        def make() -> Lifts:
            whole = Frame.whole(scene.size)
            lens = frame.lens if frame.lens is not None and frame.lens.falloff is not None else None
            window = Window.whole(scene.size, SIDE)
            program = program_of(treatment, scene.light, False).without_cleaning()
            before = self.light(whole, window, False)
            after = before
            if not program.neutral:
                arguments = self._arguments(treatment, program, whole, window, False)
                after = np.empty_like(before)
                light_of(*arguments, after)
            lift = lift_of(before, after, scene.floor)
            if lens is not None and lens.falloff is not None:
                y, x = np.mgrid[: window.out_height, : window.out_width]
                at = (np.stack([x.ravel(), y.ravel()], -1) + 0.5) * (scene.size[1] / window.out_width)
                lift += lens.falloff(at).reshape(lift.shape).astype(np.float32)
            grid = carry(lift, before, scene.size[1] / window.out_width, REACH, scene.size, scene.floor)
            grid = grid if frame.offset is not None else grid.through(frame)
            return Lifts(grid, amounts(grid, scene.light, display), frame.offset)

        # It stands for a treatment as it is now: while a dial is dragged the one before is of no use.
        bent = treatment.without("crop", "turn", "level", "perspective", "noise").model_dump_json()
        return self._cache.get(("lift", bent, frame.key), make)

    def lifts(self, treatment: Treatment) -> Lifts | None:
        """By how much places are lifted, where noise is taken by it; None where it is not."""
        program = program_of(treatment, self.scene.light)
        if not any(i.lifted for i in program.instructions):
            return None
        return self._lift(treatment, self.frame(treatment), program.shown)

    def sampled(self, plane: np.ndarray, treatment: Treatment, window: Window) -> np.ndarray:
        """A full-size plane of whole numbers in a window of the picture; see `Framed.sampled`."""
        return self._framed.sampled(plane, self.frame(treatment), window)

    def recorded(self, treatment: Treatment, window: Window) -> np.ndarray | None:
        """Which pixels of a window show something of the scene, bool (h, w); None if all do."""
        frame = self.frame(treatment)
        corners = window.corners(frame.size)
        if frame.offset is not None or (corners @ frame.walls[:, :2].T <= frame.walls[:, 2] + 0.01).all():
            return None
        x, y = self.masks.places(frame, window)
        height, width = (v / frame.long_side for v in frame.scene)
        return (x >= 0) & (y >= 0) & (x <= width) & (y <= height)

    def mask(self, area: Area, frame: Frame, window: Window, fine: bool = True) -> np.ndarray:
        """An area's mask in a window of the picture, uint16 (h, w)."""
        return self.masks.of(area, frame, window, fine)

    def _plane(self, plane: Plane, frame: Frame, window: Window, fine: bool, mix: NoiseMix | None = None) -> np.ndarray:
        """A plane of a window, float32 (h, w), made of light that a mix has been taken out of."""

        def make() -> np.ndarray:
            if window.scale > 1:
                return self._enlarged(plane, frame, window, fine, mix)
            margin = (plane.reach / 100.0 * frame.long_side + plane.pixels) * window.scale
            larger, rows, columns = window.grown(frame.size, int(np.ceil(margin)), LATTICE)
            around = self.around(window.scale, frame, mix)
            return np.ascontiguousarray(plane.make(self.cleaned(frame, larger, fine, mix), around)[rows, columns])

        cleaned = None if mix is None else (self._noise_key, mix.key)
        return self._cache.get(("plane", plane.key, cleaned, frame.key, window, fine), make)

    def made(self, plane: Plane, treatment: Treatment, window: Window, fine: bool = True) -> np.ndarray:
        """A plane of a window of the picture, float32 (h, w), made of light as a treatment cleans it."""
        mixes = self._program(treatment).mixes
        return self._plane(plane, self.frame(treatment), window, fine, mixes[0] if mixes else None)

    def _enlarged(self, plane: Plane, frame: Frame, window: Window, fine: bool, mix: NoiseMix | None) -> np.ndarray:
        """A plane of a window larger than life: made at full size, and enlarged as light is."""
        height, width = frame.size
        left, top = (int(np.clip(np.floor(v), 0, n - 1)) for v, n in ((window.x, width), (window.y, height)))
        right = int(np.clip(np.ceil(window.x + window.width), left + 1, width))
        bottom = int(np.clip(np.ceil(window.y + window.height), top + 1, height))
        whole = Window(left, top, right - left, bottom - top, right - left, bottom - top)
        found = self._plane(plane, frame, whole, fine, mix)
        step = 1.0 / window.scale
        shift = np.array([[step, 0, window.x - left + step / 2 - 0.5], [0, step, window.y - top + step / 2 - 0.5]])
        flags = cv2.WARP_INVERSE_MAP | cv2.INTER_LINEAR
        size = (window.out_width, window.out_height)
        return cv2.warpAffine(found, shift, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)

    def _planes(self, program: Program, frame: Frame, window: Window, fine: bool) -> np.ndarray:
        """The planes of a program, float32 (P, h, w): those in EV first, then three for each mix of noise."""
        mixes = program.mixes
        if not program.planes and not mixes:
            return _NO_PLANES
        first = mixes[0] if mixes else None
        keys = tuple(plane.key for plane in program.planes), tuple(mix.key for mix in mixes), self._noise_key

        def make() -> np.ndarray:
            planes = [self._plane(plane, frame, window, fine, first)[None] for plane in program.planes]
            return np.concatenate(planes + [self._mix(mix, frame, window, fine) for mix in mixes])

        return self._cache.get(("planes", keys, frame.key, window, fine), make)

    def _read(self, instruction: Instruction, frame: Frame) -> tuple[BaseGrid, np.ndarray, float]:
        """The grid that an instruction reads, what its cells come to, and how much of the own stop is added."""
        curve, carried = instruction.grid, instruction.carried
        key: tuple
        if carried is not None:
            base, key = self._carried(frame, carried)[0], ("carried", carried, frame.key)
        else:
            assert curve is not None
            base, key = self.base(frame, curve.reach), ("base", round(curve.reach, 3), frame.key)
        if frame.offset is None:
            base = self._cache.get(key, lambda: base.through(frame))
        return (base, base.cells, 0.0) if curve is None else (base, looked_up(base.cells, curve), curve.stretch)

    def _grids(
        self, treatment: Treatment, program: Program, frame: Frame, window: Window
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Cells of a program's grids, where each begins with its shape, and how each is read."""
        cells, shapes, about, begins = [], [], [], 0
        x, _ = frame.offset or (0, 0)
        for instruction in program.instructions:
            if instruction.reads_grid:
                base, own, stretch = self._read(instruction, frame)
            elif instruction.lifted:
                display = neutral_display() if program.display is None else program.shown
                lifts = self._lift(treatment, frame, display)
                base, own, stretch = lifts.grid, lifts.shares, 0.0
            else:
                continue
            shapes.append((begins, *own.shape))
            first = (window.x + x + 0.5 / window.scale) / base.cell + 1.0
            about.append((base.cell, first, 1.0 / window.scale / base.cell, base.start, 1.0 / LAYER, stretch))
            cells.append(own.ravel())
            begins += own.size
        if not cells:
            return np.zeros(1, np.float32), np.zeros((1, 4), np.int64), np.zeros((1, 6))
        return np.concatenate(cells), np.array(shapes, np.int64), np.array(about)

    def _arguments(self, treatment: Treatment, program: Program, frame: Frame, window: Window, fine: bool) -> tuple:
        """What the kernels are called with, from the light to the rows of a pixel."""
        masks = self.masks.stacked(bending(treatment), frame, window, fine)
        down = frame.offset[1] if frame.offset else 0
        codes, constants, tables, colours = instructions_of(program)
        for i, instruction in enumerate(program.instructions):
            if instruction.carried is not None and instruction.colours is None:
                whole = self._carried(frame, instruction.carried)[1]
                constants[i, 1 : 1 + whole.size] = whole
        return (
            self.light(frame, window, fine),
            codes,
            constants,
            tables,
            colours,
            *self._grids(treatment, program, frame, window),
            masks.shares,
            masks.spans,
            self._planes(program, frame, window, fine),
            np.float32(self.scene.floor),
            any(i.reads_base for i in program.instructions),
            float(window.y + down),
            window.height / window.out_height,
        )

    def linear(self, treatment: Treatment, window: Window, fine: bool = True) -> np.ndarray:
        """Scene-linear light before the display transform, float32 (h, w, 3)."""
        frame = self.frame(treatment)
        program = self._program(treatment, display=False)
        if program.neutral:
            return self.light(frame, window, fine).copy()
        arguments = self._arguments(treatment, program, frame, window, fine)
        out = np.empty_like(arguments[0])
        light_of(*arguments, out)
        return out

    def picture(
        self, treatment: Treatment, window: Window, bits: int = 8, oversample: int = 1, fine: bool = True
    ) -> tuple[np.ndarray, np.ndarray]:
        """The picture as sRGB codes, and its limits.

        Parameters
        ----------
        treatment : Treatment
        window : Window
        bits : int
            8 or 16; 8-bit codes are dithered.
        oversample : int
            A reduced view is rendered this many times larger, where the picture has the pixels, and averaged: what
            is small and bright then shows as it will in the full picture.
        fine : bool
            Whether a frame is resampled at its best; while something is dragged it need not be.

        Returns
        -------
        codes : ndarray, uint8 or uint16 (h, w, 3)
        limits : ndarray, uint8 (h, w)
            Bits 1, 2, 4: red, green, blue at white; 8: all at black; 16: a colour that sRGB could not show.
        """
        larger = window.oversampled(oversample)
        if larger is not None:
            codes, limits = self.picture(treatment, larger, bits, fine=fine)
            size = window.out_width, window.out_height
            return cv2.resize(codes, size, interpolation=cv2.INTER_AREA), _any_within(limits, size)
        program = self._program(treatment)
        arguments = self._arguments(treatment, program, self.frame(treatment), window, fine)
        out = np.empty(arguments[0].shape, np.uint8 if bits == 8 else np.uint16)
        limits = np.empty(out.shape[:2], np.uint8)
        codes_of(
            *arguments,
            program.shown.astype(np.float32),
            np.float32(program.fade),
            np.float32(2**bits - 1),
            np.float32(bits == 8),
            out,
            limits,
        )
        return out, limits


def _any_within(limits: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Bits that any pixel has of those that make up one of a reduced picture of size (w, h), uint8."""
    width, height = size
    if limits.shape[0] % height == 0 and limits.shape[1] % width == 0:
        parts = limits.reshape(height, limits.shape[0] // height, width, limits.shape[1] // width)
        return np.asarray(np.bitwise_or.reduce(parts, axis=(1, 3)))
    out = np.zeros((height, width), np.uint8)
    for bit in (1, 2, 4, 8, 16):
        share = cv2.resize((limits & bit).astype(np.float32), size, interpolation=cv2.INTER_AREA)
        out |= np.where(share > 0, np.uint8(bit), np.uint8(0))
    return out
