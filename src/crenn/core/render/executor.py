"""Runs a treatment over a prepared scene: any window, at any scale."""

import threading
from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np

from crenn.core.errors import CrennError
from crenn.core.render.base import LAYER, BaseGrid, build_base, reduced_for_base
from crenn.core.render.kernel import picture_codes, scene_light
from crenn.core.render.pyramid import PreparedScene
from crenn.core.steps import TABLE_SIZE, PixelProgram, table_stops
from crenn.core.treatment import DISPLAY_STEPS, STEPS, Treatment

_NO_TABLE = np.zeros(TABLE_SIZE, np.float32)
_NO_GRID = BaseGrid(np.zeros((2, 2, 2), np.float32), 1.0, 0.0, 1e-9)


#: Farther from the picture than this no place is told apart any more, in pixels.
_FARTHEST = 1e7
#: Windows of more pixels are read anew each time rather than kept in memory.
_KEPT_PIXELS = 4_000_000


@dataclass(frozen=True)
class Window:
    """A part of the picture and the size at which it is wanted.

    ``x, y, width, height`` are in full-size pixels; ``out_width, out_height`` in pixels of the result.
    """

    x: float
    y: float
    width: float
    height: float
    out_width: int
    out_height: int

    def __post_init__(self) -> None:
        numbers = (self.x, self.y, self.width, self.height)
        if not all(np.isfinite(numbers)) or max(map(abs, numbers)) > _FARTHEST or min(self.width, self.height) <= 0:
            raise CrennError("This part of the picture cannot be: its place or size is no usable number.")
        if min(self.out_width, self.out_height) < 1:
            raise CrennError("A view needs at least one pixel.")

    @classmethod
    def whole(cls, size: tuple[int, int], long_edge: int | None = None) -> "Window":
        """The whole picture of size (H, W), its longer side reduced to ``long_edge``."""
        height, width = size
        factor = min(1.0, long_edge / max(size)) if long_edge else 1.0
        return cls(0, 0, width, height, max(round(width * factor), 1), max(round(height * factor), 1))

    def overlaps(self, size: tuple[int, int]) -> bool:
        """Whether any of it lies in a picture of size (H, W)."""
        return self.x < size[1] and self.y < size[0] and self.x + self.width > 0 and self.y + self.height > 0

    @property
    def scale(self) -> float:
        """Pixels of the result per full-size pixel."""
        return self.out_width / self.width


class _Recent:
    """The last few results by what they depend on."""

    def __init__(self, most: int):
        self._most, self._lock = most, threading.Lock()
        self._items: OrderedDict[Hashable, Any] = OrderedDict()

    def get(self, key: Hashable, make):
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
                return self._items[key]
        value = make()
        with self._lock:
            self._items[key] = value
            while len(self._items) > self._most:
                self._items.popitem(last=False)
        return value


def compile_treatment(treatment: Treatment, light, display: bool = True) -> PixelProgram:
    """Fold a treatment's steps into one pixel program.

    Parameters
    ----------
    treatment : Treatment
    light : SceneLight
    display : bool
        Whether the steps of the display transform take part.
    """
    program = PixelProgram()
    for step in STEPS:
        parameters = getattr(treatment, step.name)
        if step.name in DISPLAY_STEPS:
            # The display needs end points even where the step is off: it resolves to neutral ones itself.
            if display:
                step.fold(program, parameters, light)
        elif parameters.on:
            step.fold(program, parameters, light)
    return program


class Renderer:
    """Renders one scene; what is costly is kept as long as what it depends on stays."""

    def __init__(self, scene: PreparedScene):
        self.scene = scene
        self._grids = _Recent(4)
        self._sources = _Recent(4)

    def base(self, reach: float) -> BaseGrid:
        """The edge-aware base for a reach, in % of the picture."""

        def make() -> BaseGrid:
            reduced, scale = self._sources.get(
                "reduced",
                lambda: reduced_for_base(
                    np.asarray(self.scene.levels[self.scene.level_for(900 / max(self.scene.size))])
                ),
            )
            full = scale * 2 ** self.scene.level_for(900 / max(self.scene.size))
            return build_base(reduced, full, reach, self.scene.size, self.scene.floor)

        return self._grids.get(round(reach, 3), make)

    def source(self, window: Window) -> np.ndarray:
        """The radiance map in a window at its output size, float32 (h, w, 3)."""
        if window.out_width * window.out_height > _KEPT_PIXELS:
            return self._read(window)
        return self._sources.get(window, lambda: self._read(window))

    def _read(self, window: Window) -> np.ndarray:
        level = self.scene.level_for(window.scale)
        array = self.scene.levels[level]
        height, width = array.shape[:2]
        fy, fx = height / self.scene.size[0], width / self.scene.size[1]
        x0, y0 = window.x * fx, window.y * fy
        w, h = window.width * fx, window.height * fy
        left, top = max(int(np.floor(x0)), 0), max(int(np.floor(y0)), 0)
        right, bottom = min(int(np.ceil(x0 + w)), width), min(int(np.ceil(y0 + h)), height)
        # A copy, in memory and writable: kernels would be compiled a second time for the read-only kind on disk.
        part = np.array(array[top : max(bottom, top + 1), left : max(right, left + 1)])
        if part.shape[:2] == (window.out_height, window.out_width) and x0 == left and y0 == top:
            return part
        # The window seldom falls on whole pixels of the level: the map from result to level says where.
        sx, sy = w / window.out_width, h / window.out_height
        if (
            sx > 1.0
            and abs(x0 - left) < 1e-6
            and abs(y0 - top) < 1e-6
            and right - left == round(w)
            and bottom - top == round(h)
        ):
            return cv2.resize(part, (window.out_width, window.out_height), interpolation=cv2.INTER_AREA)
        shift = np.array([[sx, 0, x0 - left + sx / 2 - 0.5], [0, sy, y0 - top + sy / 2 - 0.5]])
        flags = cv2.WARP_INVERSE_MAP | (cv2.INTER_LINEAR if sx > 0.5 else cv2.INTER_NEAREST)
        return cv2.warpAffine(
            part, shift, (window.out_width, window.out_height), flags=flags, borderMode=cv2.BORDER_REPLICATE
        )

    def _arguments(self, program: PixelProgram, window: Window) -> tuple:
        placement = program.placement
        placed = placement is not None
        grid = self.base(program.reach) if placed else _NO_GRID
        cells = grid.cells
        if placement is not None:
            # The grid is small: what its stops are placed on is looked up here once, not for every pixel.
            placed_ev = np.interp(cells + program.shift, table_stops(), placement)
            cells = (placed_ev - program.relief * cells).astype(np.float32)
        step = 1.0 / window.scale / grid.cell
        origin_y = (window.y + 0.5 / window.scale) / grid.cell + 1.0
        origin_x = (window.x + 0.5 / window.scale) / grid.cell + 1.0
        curve = _NO_TABLE if program.curve is None else program.curve.astype(np.float32)
        return (
            program.matrix.astype(np.float32),
            cells,
            np.float32(origin_y),
            np.float32(origin_x),
            np.float32(step),
            np.float32(grid.start),
            np.float32(LAYER),
            np.float32(grid.floor),
            np.float32(program.relief),
            placed,
            curve,
            program.curve is not None,
        )

    def linear(self, treatment: Treatment, window: Window) -> np.ndarray:
        """Scene-linear light before the display transform, float32 (h, w, 3)."""
        source = self.source(window)
        program = compile_treatment(treatment, self.scene.light, display=False)
        if program.neutral:
            return source.copy()
        out = np.empty_like(source)
        scene_light(source, *self._arguments(program, window), out)
        return out

    def picture(
        self, treatment: Treatment, window: Window, bits: int = 8, oversample: int = 1
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

        Returns
        -------
        codes : ndarray, uint8 or uint16 (h, w, 3)
        limits : ndarray, uint8 (h, w)
            Bits 1, 2, 4: red, green, blue at white; 8: all at black.
        """
        factor = min(oversample, int(1.0 / window.scale + 1e-6)) if window.scale < 1 else 1
        if factor > 1:
            larger = replace(window, out_width=window.out_width * factor, out_height=window.out_height * factor)
            codes, limits = self.picture(treatment, larger, bits)
            rows = limits.reshape(window.out_height, factor, window.out_width, factor)
            return (
                cv2.resize(codes, (window.out_width, window.out_height), interpolation=cv2.INTER_AREA),
                np.bitwise_or.reduce(rows, axis=(1, 3)),
            )
        source = self.source(window)
        program = compile_treatment(treatment, self.scene.light)
        out = np.empty(source.shape, np.uint8 if bits == 8 else np.uint16)
        limits = np.empty(source.shape[:2], np.uint8)
        picture_codes(
            source,
            *self._arguments(program, window),
            program.shown.astype(np.float32),
            np.float32(2**bits - 1),
            np.float32(bits == 8),
            out,
            limits,
        )
        return out, limits
