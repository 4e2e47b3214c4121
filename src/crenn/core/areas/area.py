"""Areas: local adjustments, each a mask built of parts and the dials it bends."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from crenn.core.areas.shapes import AnyPart
from crenn.core.pipeline.step import Step

#: A treatment has at most so many areas, and an area so many parts, and bends so many dials.
MOST_AREAS, MOST_PARTS, MOST_BENDS = 8, 8, 200
#: Full in a mask.
FULL = np.uint16(65535)


class Area(BaseModel):
    """A local adjustment. With ``on`` false it bends nothing."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    name: str = Field("Area", min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$")
    on: bool = True
    parts: list[AnyPart] = Field(min_length=1, max_length=MOST_PARTS)
    bends: dict[str, float] = Field(
        default_factory=dict,
        max_length=MOST_BENDS,
        description="by step and dial (“exposure.ev”): EV added, a factor, or mired, relative to the dial itself",
    )

    @property
    def key(self) -> str:
        """What its mask is made from."""
        return "[" + ",".join(part.model_dump_json() for part in self.parts) + "]"

    def by_step(self) -> dict[str, dict[str, float]]:
        """Its bends by step, then by dial; none if it is off."""
        out: dict[str, dict[str, float]] = {}
        for path, value in self.bends.items() if self.on else ():
            step, _, dial = path.partition(".")
            out.setdefault(step, {})[dial] = value
        return out

    def mask(self, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        """Its mask at places of the scene.

        Parameters
        ----------
        x, y : ndarray, float32 (h, w)
            In shares of the scene's longer side.

        Returns
        -------
        ndarray, uint16 (h, w)
            0 outside to `FULL` inside.
        """
        mask: np.ndarray | None = None
        for part in self.parts:
            own = part.mask(x, y)
            if part.invert:
                own = 1 - own
            if mask is None:
                # The first part takes away from everything, or is all that both have.
                mask = 1 - own if part.mode == "subtract" else own
            elif part.mode == "add":
                mask = mask + own - mask * own
            elif part.mode == "subtract":
                mask = mask * (1 - own)
            else:
                mask = mask * own
        assert mask is not None, "an area has a part"
        return (mask * np.float32(FULL) + np.float32(0.5)).astype(np.uint16)


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
