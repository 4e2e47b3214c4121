"""What kernels and effects read for a view of one treatment's picture."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from crenn.core.areas.part import Part
from crenn.core.light.ends import neutral_display
from crenn.core.pipeline.instructions import Instruction
from crenn.core.pipeline.program import Program
from crenn.core.render.encode import Reading
from crenn.core.render.programs import bending, otherwise, program_of
from crenn.core.render.view import View
from crenn.core.treatment import Treatment

if TYPE_CHECKING:
    from crenn.core.render.renderer import Renderer


@dataclass(frozen=True)
class WindowInputs:
    """What a program reads for a view; see `crenn.core.render.encode.Inputs`."""

    renderer: "Renderer"
    treatment: Treatment
    program: Program
    view: View

    @property
    def light(self) -> np.ndarray:
        return self.renderer.light(self.view, self.program)

    @property
    def floor(self) -> float:
        return self.view.source.floor

    @property
    def column(self) -> tuple[float, float]:
        x, _ = self.view.frame.offset or (0, 0)
        per = 1.0 / self.view.scale
        return self.view.window.x + x + 0.5 * per, per

    @property
    def row(self) -> tuple[float, float]:
        _, y = self.view.frame.offset or (0, 0)
        window = self.view.window
        return float(window.y + y), window.height / window.out_height

    def masks(self) -> tuple[np.ndarray, np.ndarray]:
        masks = self.renderer.masks(bending(self.treatment), self.view)
        return masks.shares, masks.spans

    def planes(self, program: Program) -> np.ndarray:
        return self.renderer.planes(self.view, program)

    def laid(self, area: int) -> np.ndarray:
        treatment = otherwise(self.treatment, area)
        program = program_of(treatment, self.view.source.light, False)
        # Noise stays in it where it stays in the rest.
        program = program if self.program.mixes else program.without_cleaning()
        if program.neutral:
            return self.light
        return self.renderer.light_after(treatment, program, self.view)

    def grid(self, instruction: Instruction) -> Reading:
        if not instruction.by_lift:
            return self.renderer.grids.read(self.view.source, self.view.frame, instruction)
        display = neutral_display() if self.program.display is None else self.program.shown
        lifts = self.renderer.lift(self.treatment, self.view.frame, display)
        return Reading(lifts.shares, lifts.grid)

    def whole(self, instruction: Instruction) -> np.ndarray:
        assert instruction.carried is not None
        return self.renderer.grids.carried(self.view.source, self.view.frame, instruction.carried)[1]


@dataclass(frozen=True)
class FinishedInputs(WindowInputs):
    """What the display reads for a view whose light is finished."""

    finished: np.ndarray

    @property
    def light(self) -> np.ndarray:
        return self.finished


@dataclass(frozen=True)
class BelowEffects:
    """What effects act on; see `crenn.core.render.finishing.Below`."""

    renderer: "Renderer"
    treatment: Treatment
    program: Program

    def main(self, view: View) -> np.ndarray:
        if self.program.neutral:
            return self.renderer.light(view)
        return self.renderer.light_after(self.treatment, self.program, view)

    def scene(self, view: View) -> np.ndarray:
        return self.renderer.light(view)

    def masks(self, view: View) -> np.ndarray:
        return self.renderer.masks(bending(self.treatment), view).shares

    def share(self, part: Part, view: View) -> np.ndarray:
        return self.renderer.share(part, view)

    def keep(
        self, view: View, depends: tuple, but: tuple[str, ...] | None, make: Callable[[], np.ndarray]
    ) -> np.ndarray:
        own = None if but is None else self.treatment.without(*but)
        return self.renderer.cache.get(view, "finishing", (own, depends), lambda *_: make())
