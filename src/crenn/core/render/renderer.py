"""Runs a treatment over a scene: any window, at any scale."""

import logging

import cv2
import numpy as np

from crenn.core.areas.area import Area
from crenn.core.areas.part import Part
from crenn.core.light.ends import neutral_display
from crenn.core.mend.patch import Patch
from crenn.core.mend.solve import Solved
from crenn.core.noise.cleaning import Box
from crenn.core.noise.layers import NoiseLayers
from crenn.core.pipeline.compile import framed
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.pipeline.planes import Plane
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.step import FrameStep
from crenn.core.render.cache import Cache
from crenn.core.render.display import SRGB, Display, codes_of, encoded, shown_of
from crenn.core.render.encode import KernelInputs, encode
from crenn.core.render.finishing import Finishing, white_of
from crenn.core.render.framed import Framed
from crenn.core.render.grid import BaseGrid, carry
from crenn.core.render.grids import Grids
from crenn.core.render.inputs import BelowEffects, FinishedInputs, WindowInputs
from crenn.core.render.masks import Masks, Stacked
from crenn.core.render.mending import Mender
from crenn.core.render.noise_visibility import REACH, SIDE, NoiseVisibility, lift_of, noise_shares
from crenn.core.render.planes import Planes
from crenn.core.render.programs import program_of
from crenn.core.render.rows import light_of
from crenn.core.render.source import Source
from crenn.core.render.view import View
from crenn.core.render.window import Window, part_in_view
from crenn.core.treatment import STEPS, Treatment

#: Pixels rendered for a picture at rest: as it lies, and where light is resampled.
_AT_REST, _AT_REST_MOVED = 3_200_000, 1_600_000
#: Reduced to less than this, a picture is not worth cleaning before the rest.
_SEEN = 0.45
#: Bytes that a renderer keeps by itself. What is delivered is gone through once: little serves there.
_KEPT = 192 * 2**20
_log = logging.getLogger(__name__)


class Renderer:
    """Renders one scene; what is costly is kept as long as there is room, and what it was made from stays.

    Parameters
    ----------
    scene : Source
    cache : Cache, optional
        Where it is kept; one of its own if None. Renderers of several scenes may share one.
    """

    def __init__(self, scene: Source, cache: Cache | None = None):
        self.scene = scene
        self.cache = cache or Cache(_KEPT)
        self._framed = Framed(self.cache)
        self._planes = Planes(self._framed, self.cache)
        self.grids = Grids(self.cache)
        self._masks = Masks(self._planes, self.grids, self.cache)
        self._mender = Mender(scene, self.cache)
        self._told_short = False

    def frame(self, treatment: Treatment) -> PictureGeometry:
        """How the treatment's picture lies over the scene; ``size`` is the picture's (H, W).

        Raises
        ------
        CrennError
            If the geometry cannot be.
        """
        steps = [step for step in STEPS if isinstance(step, FrameStep)]

        def make(*sections) -> PictureGeometry:
            return framed(zip(steps, sections), self.scene.size, self.scene.light)

        return self.cache.get(self.scene, "frame", tuple(treatment.section(step) for step in steps), make)

    def view(self, treatment: Treatment, window: Window, fine: bool = True) -> View:
        """A window of the treatment's picture; see `View`."""
        return View(self.source(treatment), self.frame(treatment), window, fine)

    def source(self, treatment: Treatment) -> Source:
        """The scene as a treatment mends it."""
        return self._mender.source(treatment.mend)

    def solved(self, treatment: Treatment) -> list[tuple[Patch, list[Solved]]]:
        """The patches of a treatment that act, and what the pieces of each came to; see `Mender.solved`."""
        return self._mender.solved(treatment.mend)

    def oversampling(self, frame: PictureGeometry, window: Window) -> int:
        """How many times larger a picture at rest is rendered, to be averaged: as far as the time allows."""
        budget = _AT_REST_MOVED if frame.offset is None else _AT_REST
        return int(np.clip(np.sqrt(budget / window.pixels), 1, 4))

    def light(self, view: View, program: Program | None = None) -> np.ndarray:
        """The scene's light in a view, float32 (h, w, 3); see `Framed.light`.

        What the planes of ``program`` look at around it is read at once.
        """
        return self._planes.light(view, None if program is None else self._planes.around(view, program))

    def places(self, view: View) -> np.ndarray:
        """Where the pixels of a view lie in the scene, as documents say it, float32 (2, h, w)."""
        return self._masks.places(view)

    def masks(self, areas: list[Area], view: View) -> Stacked:
        """The masks of several areas in a view."""
        return self._masks.stacked(areas, view)

    def planes(self, view: View, program: Program) -> np.ndarray:
        """The planes of a program in a view, float32 (P, h, w); see `Planes.of`."""
        return self._planes.of(view, program)

    def mask(self, area: Area, view: View) -> np.ndarray:
        """An area's mask in a view, uint16 (h, w)."""
        return self._masks.of(area, view)

    def share(self, part: Part, view: View) -> np.ndarray:
        """How far places of a view belong to a part of an area, float32 (h, w)."""
        return self._masks.share(part, view)

    def sampled(self, name: str, treatment: Treatment, window: Window) -> np.ndarray:
        """A plane of the scene in a window of the picture; see `Framed.sampled`."""
        return self._framed.sampled(self.view(treatment, window), name)

    def _program(self, treatment: Treatment, display: bool = True) -> Program:
        """The program of a treatment; without cleaning where the scene's noise has not been split off yet."""
        program = program_of(treatment, self.scene.light, display)
        return program if self.scene.noise is not None or not program.mixes else program.without_cleaning()

    def uncleaned(self, treatment: Treatment, window: Window) -> list[Box]:
        """Parts of the scene in a window that noise is to be taken out of, and has not been split off yet.

        None where the view is so much reduced that noise is hardly seen, and while all of the scene is at hand.
        """
        noise = self.scene.noise
        if (noise is not None and noise.whole) or window.scale < _SEEN:
            return []
        if not program_of(treatment, self.scene.light).mixes:
            return []
        part = part_in_view(self.frame(treatment), window, self.scene.size)
        return (noise or NoiseLayers.nothing(self.scene.size)).missing(part)

    def lift(self, treatment: Treatment, frame: PictureGeometry, display: np.ndarray) -> NoiseVisibility:
        """By how much places are lifted, and the shares of their noise that are taken; see `noise_shares`."""
        scene = self.source(treatment).coarse
        # By how much single colours are brightened matters little, and would have it made anew at every touch.
        treatment = treatment.uncoloured().without("crop", "turn", "level", "perspective", "noise")

        def lifted(treatment: Treatment, frame: PictureGeometry) -> BaseGrid:
            window = Window.whole(scene.size, SIDE)
            view = View.of_scene(scene, window, False)
            program = program_of(treatment, scene.light, False).without_cleaning()
            before = self.light(view)
            after = before if program.neutral else self.light_after(treatment, program, view)
            lift = lift_of(before, after, scene.floor)
            if frame.fades:
                y, x = np.mgrid[: window.out_height, : window.out_width]
                at = (np.stack([x.ravel(), y.ravel()], -1) + 0.5) * (scene.size[1] / window.out_width)
                lift += frame.falloff_at(at).reshape(lift.shape).astype(np.float32)
            grid = carry(lift, before, scene.size[1] / window.out_width, REACH, scene.size, scene.floor)
            return grid if frame.offset is not None else grid.through(frame)

        def taken(treatment: Treatment, frame: PictureGeometry, display: np.ndarray) -> NoiseVisibility:
            grid = self.cache.get(scene, "lifted", (treatment, frame), lifted)
            return NoiseVisibility(grid, noise_shares(grid, scene.light, display), frame.offset)

        return self.cache.get(scene, "lift", (treatment, frame, display), taken)

    def noise_visibility(self, treatment: Treatment) -> NoiseVisibility | None:
        """By how much places are lifted, where noise is taken by it; None where it is not."""
        program = program_of(treatment, self.scene.light)
        if not any(i.by_lift for i in program.instructions):
            return None
        return self.lift(treatment, self.frame(treatment), program.shown)

    def recorded(self, treatment: Treatment, window: Window) -> np.ndarray | None:
        """Which pixels of a window show something of the scene, bool (h, w); None if all do."""
        view = self.view(treatment, window)
        frame = view.frame
        corners = window.corners(frame.size)
        if frame.offset is not None or (corners @ frame.walls[:, :2].T <= frame.walls[:, 2] + 0.01).all():
            return None
        x, y = self.places(view)
        height, width = (v / frame.long_side for v in frame.scene)
        return (x >= 0) & (y >= 0) & (x <= width) & (y <= height)

    def made(self, plane: Plane, treatment: Treatment, window: Window, fine: bool = True) -> np.ndarray:
        """A plane of a window of the picture, float32 (h, w), made of light as a treatment cleans it."""
        mixes = self._program(treatment).mixes
        return self._planes.plane(self.view(treatment, window, fine), plane, mixes[0] if mixes else None)

    def _inputs(self, treatment: Treatment, program: Program, view: View) -> KernelInputs:
        """What the kernels are called with."""
        return encode(program, WindowInputs(self, treatment, program, view))

    def light_after(self, treatment: Treatment, program: Program, view: View) -> np.ndarray:
        """Light of a view after a program, float32 (h, w, 3)."""
        inputs = self._inputs(treatment, program, view)
        out = np.empty_like(inputs.light)
        light_of(inputs, out)
        return out

    def linear(self, treatment: Treatment, window: Window, fine: bool = True) -> np.ndarray:
        """Scene-linear light before the display transform, float32 (h, w, 3)."""
        program = self._program(treatment, display=False)
        view = self.view(treatment, window, fine)
        return self.light(view).copy() if program.neutral else self.light_after(treatment, program, view)

    @property
    def brightest(self) -> float:
        """The brightest light of the scene, by its strongest channel; 1 at least."""
        return max(float(self.scene.read(0).max()), 1.0)

    def finishing(self, treatment: Treatment, program: Program | None = None) -> Finishing:
        """The effects of a treatment's picture, or those of its program."""
        program = program or self._program(treatment)
        display = neutral_display() if program.display is None else program.display
        return Finishing(BelowEffects(self, treatment, program.parted()[0]), program.effects, white_of(display))

    def margin(self, treatment: Treatment) -> int:
        """Full-size pixels around a window that the effects and planes of a treatment look at."""
        program, frame = self._program(treatment), self.frame(treatment)
        planes = max((plane.pixels_around(frame.long_side) for plane in program.planes), default=0)
        return self.finishing(treatment, program).margin(max(frame.size)) + planes

    def finished(self, treatment: Treatment, window: Window) -> np.ndarray:
        """Scene-linear light with all effects, before the display transform, float32 (h, w, 3)."""
        program = self._program(treatment)
        if not program.effects:
            return self.linear(treatment, window)
        return self.finishing(treatment, program).light(self.view(treatment, window))

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
            A reduced view is rendered this many times larger, where the picture has the pixels, and its light averaged:
            what is small and bright then shows as it will in the full picture.
        fine : bool
            Whether a frame is resampled at its best; while something is dragged it need not be.

        Returns
        -------
        codes : ndarray, uint8 or uint16 (h, w, 3)
        limits : ndarray, uint8 (h, w)
            Bits 1, 2, 4: red, green, blue at white; 8: all at black; 16: a colour that sRGB could not show.
        """
        if window.oversampled(oversample) is not None:
            light, limits = self.shown(treatment, window, fine, oversample=oversample)
            return encoded(light, bits), limits
        program, inputs = self._picture_inputs(treatment, window, fine)
        return codes_of(inputs, Display.of(program), bits)

    def shown(
        self,
        treatment: Treatment,
        window: Window,
        fine: bool = True,
        space: np.ndarray = SRGB,
        peak: float = 1.0,
        oversample: int = 1,
    ) -> tuple[np.ndarray, np.ndarray]:
        """The picture as the light that a screen is to give, 0 to ``peak`` of a space, float32 (h, w, 3), and its
        limits.

        The space is one of `crenn.core.render.display.space_of`; 1 is white, and lamps reach the peak.

        What is made smaller is averaged as light, and encoded after that; see `picture` for ``oversample``.
        """
        if (larger := window.oversampled(oversample)) is not None:
            light, limits = self.shown(treatment, larger, fine, space, peak)
            size = window.out_width, window.out_height
            return cv2.resize(light, size, interpolation=cv2.INTER_AREA), _any_within(limits, size)
        program, inputs = self._picture_inputs(treatment, window, fine)
        light, limits = shown_of(inputs, Display.of(program, space, peak))
        if peak != 1.0:
            light *= np.float32(peak)
        return light, limits

    def _picture_inputs(self, treatment: Treatment, window: Window, fine: bool) -> tuple[Program, KernelInputs]:
        program = self._program(treatment)
        view = self.view(treatment, window, fine)
        with self.cache.counting() as touched:
            if program.effects:
                finished = self.finishing(treatment, program).light(view)
                program = program.parted()[1]
                inputs = encode(program, FinishedInputs(self, treatment, program, view, finished))
            else:
                inputs = self._inputs(treatment, program, view)
        self._mind_room(sum(touched.values()), view)
        return program, inputs

    def _mind_room(self, needed: int, view: View) -> None:
        """Tell the log, once, if two pictures like this one do not find room."""
        if 2 * needed > self.cache.most_bytes and not self._told_short and view.window.pixels > 4 * SIDE**2:
            self._told_short = True
            _log.info(
                "two such pictures find no room in the cache",
                extra={"needed": needed, "room": self.cache.most_bytes, "pixels": view.window.pixels},
            )


def _any_within(limits: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Bits that any pixel has of those that make up one of a reduced picture of size (w, h), uint8."""
    for axis, length in ((0, size[1]), (1, size[0])):
        whole = limits.shape[axis]
        first = np.arange(length) * whole // length
        last = -(-(np.arange(length) + 1) * whole // length) - 1
        # Where sizes do not divide, a pixel at a border belongs to both sides of it.
        limits = np.bitwise_or.reduceat(limits, first, axis) | limits.take(last, axis)
    return limits
