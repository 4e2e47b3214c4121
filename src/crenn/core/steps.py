"""What a step of the treatment is, and how neighbouring pixelwise steps become one pass."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from crenn.core.colour.spaces import LUMINANCE

#: Tables over light cover these stops, relative to 1.0, at this many entries per stop.
TABLE_START, TABLE_END, TABLE_PER_STOP = -32.0, 16.0, 32
TABLE_SIZE = int((TABLE_END - TABLE_START) * TABLE_PER_STOP) + 1


def table_stops() -> np.ndarray:
    """The stops at which tables are sampled, float64 (TABLE_SIZE,)."""
    return np.linspace(TABLE_START, TABLE_END, TABLE_SIZE)


class StepParameters(BaseModel):
    """Parameters of one step. ``on`` false leaves the step out."""

    model_config = ConfigDict(
        extra="forbid", validate_default=True, allow_inf_nan=False, json_schema_serialization_defaults_required=True
    )
    on: bool = Field(True, description="Whether the step takes part.")


def dial(default, unit: str, low: float, high: float, step: float, title: str, help: str, **extra) -> Any:
    """A parameter shown as a dial.

    ``default`` None means automatic: the scene decides. ``shows`` among ``extra`` names the view shown while the
    dial is held, ``group`` the heading it stands under.
    """
    return Field(
        default,
        ge=low,
        le=high,
        title=title,
        description=help,
        json_schema_extra={"unit": unit, "step": step, "low": low, "high": high, **extra},
    )


@dataclass
class PixelProgram:
    """What the fused pass does to a pixel, in this order.

    1. ``matrix``, float64 (3, 3), on scene-linear colour;
    2. ``placement``: EV added, as a table over the stop of the edge-aware base, within ``reach`` % of the picture;
       ``relief`` is the factor less 1 by which the pixel's departure from the base is stretched;
    3. ``curve``: EV added, as a table over the stop of the pixel's own luminance;
    4. ``display``: luminance 0–1 of the picture, as a table over the stop.

    A step folds itself into the program, so any number of them costs one pass.
    """

    matrix: np.ndarray = field(default_factory=lambda: np.eye(3))
    placement: np.ndarray | None = None
    reach: float = 0.0
    relief: float = 0.0
    curve: np.ndarray | None = None
    display: np.ndarray | None = None

    def then_curve(self, added: Callable[[np.ndarray], np.ndarray]) -> None:
        """Follow the curve so far by another: ``added`` gives the EV added at a stop."""
        so_far = np.zeros(TABLE_SIZE) if self.curve is None else self.curve
        self.curve = so_far + added(table_stops() + so_far)

    @property
    def shown(self) -> np.ndarray:
        """The display's table; a `ValueError` if no step has set one."""
        if self.display is None:
            raise ValueError("a picture needs the steps of the display")
        return self.display

    @property
    def shift(self) -> float:
        """EV by which the matrix moves grey."""
        return float(np.log2(max(float(LUMINANCE @ (self.matrix @ np.ones(3))), 1e-9)))

    @property
    def neutral(self) -> bool:
        """Whether scene-linear light passes unchanged."""
        return self.placement is None and self.curve is None and np.array_equal(self.matrix, np.eye(3))


@dataclass(frozen=True)
class Step:
    """One step: its place in the treatment, its parameters, and how it acts.

    Attributes
    ----------
    name : str
        Key in the treatment document.
    station : str
        Station whose panel shows it.
    title : str
    parameters : type
        A `StepParameters` class.
    fold : callable
        ``fold(program, parameters, scene)`` adds the step to a `PixelProgram`; ``scene`` is the
        `crenn.core.light.automatic.SceneLight` of the radiance map.
    pixelwise : bool
        Whether the step looks at one pixel alone.
    reach : callable
        ``reach(parameters, width, height)`` tells how many full-size pixels around a place decide it.
    """

    name: str
    station: str
    title: str
    parameters: type[StepParameters]
    fold: Callable[[PixelProgram, Any, Any], None]
    pixelwise: bool = True
    reach: Callable[[Any, int, int], float] = lambda parameters, width, height: 0.0
