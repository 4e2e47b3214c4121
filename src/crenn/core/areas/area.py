"""Areas: local adjustments, each a mask built of parts and the dials it bends."""

import hashlib
from collections.abc import Callable, Sequence
from functools import cached_property
from typing import Annotated, Any

import numba as nb
import numpy as np
from pydantic import Field, field_validator

from crenn.core.areas.brush import Brush
from crenn.core.areas.found.part import Found
from crenn.core.areas.grown import Grown
from crenn.core.areas.part import Id, Keyed, Part, with_ids
from crenn.core.areas.ranges import ColourRange, LightRange
from crenn.core.areas.shapes import Ellipse, Gradient
from crenn.core.pipeline.program import Acts
from crenn.core.pipeline.step import Stage, Step, dial

#: A treatment has at most so many areas, and an area so many parts, bends so many dials and leaves out so many steps.
MOST_AREAS, MOST_PARTS, MOST_BENDS, MOST_WITHOUT = 24, 24, 200, 40
#: How parts join, in the order in which kernels count them.
MODES = ("add", "subtract", "intersect")
#: Full in a mask.
FULL = np.uint16(65535)

#: All kinds of parts.
PARTS: tuple[type[Part], ...] = (Gradient, Ellipse, Brush, LightRange, ColourRange, Found, Grown)
AnyPart = Annotated[Gradient | Ellipse | Brush | LightRange | ColourRange | Found | Grown, Field(discriminator="kind")]


class Area(Keyed):
    """A local adjustment. With ``on`` false it bends nothing."""

    id: Id = Field("", description="what it is known by in its document; given to it if empty")
    name: str = Field("Area", min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$")
    on: bool = True
    opacity: float = dial(100.0, "%", 0, 100, 1, "Opacity", "How far all of its mask acts.")
    acts: Acts = Field(
        "light",
        description="on all of the light, on its lightness or its colour alone, or what it makes of the light is added",
    )
    without: list[str] = Field(
        default_factory=list, max_length=MOST_WITHOUT, description="steps that it leaves out, by name"
    )
    invert: bool = Field(False, description="takes all that its parts together leave out")
    parts: list[AnyPart] = Field(min_length=1, max_length=MOST_PARTS)
    bends: dict[str, float] = Field(
        default_factory=dict,
        max_length=MOST_BENDS,
        description="by step and dial (“exposure.ev”): EV added, a factor, or mired, relative to the dial itself",
    )
    take: dict[str, Any] | None = Field(
        None, description="another treatment, which is shown in it up to Finish in the place of this one"
    )

    @field_validator("parts")
    @classmethod
    def _known_apart(cls, parts: list[AnyPart]) -> list[AnyPart]:
        return with_ids(parts, "p")

    @cached_property
    def key(self) -> str:
        """What its mask is made from."""
        told = ",".join(f"{part.mode}{part.invert}{part.key}" for part in self.parts if part.on)
        return hashlib.sha256(f"{self.opacity} {self.invert} {told}".encode()).hexdigest()

    @property
    def lies(self) -> bool:
        """Whether what it shows is another rendering of the place, laid over it or added to it as light."""
        return self.on and (self.acts == "added" or bool(self.without) or self.take is not None)

    @property
    def everywhere(self) -> "Area":
        """The area with all places in its mask, bending dials as if it were not `lies`."""
        all_places = Brush(id="p1", strokes=[], invert=True)
        acts: Acts = "light" if self.acts == "added" else self.acts
        return self.changed(parts=[all_places], opacity=100.0, invert=False, acts=acts, without=[], take=None)

    @property
    def opaque(self) -> "Area":
        """The area with all of its mask, as it is shown."""
        return self if self.opacity == 100 else self.changed(opacity=100.0)

    def alone(self, part: str) -> "Area | None":
        """An area of one of its parts, as far as it adds, takes away or keeps; None if it has none of the id."""
        one = next((p for p in self.parts if p.id == part), None)
        return (
            None if one is None else self.changed(parts=[one.changed(on=True, mode="add")], opacity=100.0, invert=False)
        )

    def by_step(self) -> dict[str, dict[str, float]]:
        """Its bends by step, then by dial; none if it is off."""
        out: dict[str, dict[str, float]] = {}
        for path, value in self.bends.items() if self.on else ():
            step, _, dial = path.partition(".")
            out.setdefault(step, {})[dial] = value
        return out

    def mask(self, share: Callable[[Part], np.ndarray], shape: tuple[int, int]) -> np.ndarray:
        """Its mask, of the shares of its parts.

        Parameters
        ----------
        share : callable
            How far places belong to a part, float32 (h, w) of 0 to 1.
        shape : tuple of int
            (h, w); where no part takes part, nothing is in the mask.

        Returns
        -------
        ndarray, uint16 (h, w)
            0 outside to `FULL` inside.
        """
        mask: np.ndarray | None = None
        for part in self.parts:
            if not part.on:
                continue
            own = share(part)
            if isinstance(part, Brush) and part.paints_over and mask is not None:
                # What it leaves of full is left of anything, what it makes of nothing is added.
                mask = own + (share(part.over_full) - own) * mask
                continue
            if mask is None:
                # The first part takes away from everything, or is all that both have.
                mask = np.full_like(own, part.mode != "add")
            _join(mask, own, MODES.index(part.mode), part.invert)
        if mask is None:
            mask = np.zeros(shape, np.float32)
        if self.invert:
            mask = np.float32(1) - mask
        out = np.empty(mask.shape, np.uint16)
        _written(mask, np.float32(float(FULL) * self.opacity / 100), out)
        return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _join(mask, own, mode, invert):
    """Add a part to a mask, take it from it, or leave what both have; in place. ``mode`` counts as of `MODES`."""
    one = np.float32(1)
    for y in nb.prange(mask.shape[0]):
        for x in range(mask.shape[1]):
            share = one - own[y, x] if invert else own[y, x]
            if mode == 0:
                mask[y, x] += share - mask[y, x] * share
            elif mode == 1:
                mask[y, x] *= one - share
            else:
                mask[y, x] *= share


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _written(mask, full, out):
    for y in nb.prange(mask.shape[0]):
        for x in range(mask.shape[1]):
            out[y, x] = np.uint16(min(max(mask[y, x], np.float32(0)), np.float32(1)) * full + np.float32(0.5))


def check_left_out(names: Sequence[str], steps: Sequence[Step[Any]]) -> None:
    """Check that steps can be left out within an area: those that act on light, before it is shown.

    Raises
    ------
    ValueError
        Naming the first that cannot.
    """
    can = {step.name for step in steps if step.stage == Stage.LIGHT}
    for name in names:
        if name not in can:
            raise ValueError(f"no step “{name[:60]}” can be left out in an area")


def check_bends(bends: dict[str, float], steps: Sequence[Step[Any]]) -> None:
    """Check that bends name dials that can be bent, by amounts that can be.

    Raises
    ------
    ValueError
        Naming the first that cannot.
    """
    by_name = {step.name: step for step in steps}
    for path, value in bends.items():
        name, _, dial = path.partition(".")
        bend = by_name[name].bend_of(dial) if name in by_name else None
        if bend is None:
            raise ValueError(f"no dial “{path[:60]}” can be bent by an area")
        if not bend.low <= value <= bend.high:
            raise ValueError(f"“{path}” can be bent by {bend.low:g} to {bend.high:g}, not {value:g}")
