"""What the user wants of a merge: an open document, stored with the scene."""

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from crenn.core.basis import Basis, place_map
from crenn.core.document import Document

#: Places of strokes may lie so far beyond the picture, in shares of its sides.
_BEYOND = (-0.5, 1.5)


def _storable(text: str) -> str:
    if "\0" in text or any("\ud800" <= c <= "\udfff" for c in text):
        raise ValueError("text must not hold NUL or half characters")
    return text


#: Text that files and databases can hold.
Words = Annotated[str, AfterValidator(_storable)]
#: A frame's name.
Name = Annotated[Words, Field(max_length=300)]


class Stroke(BaseModel):
    """A stroke of the brush over the merged picture.

    ``points`` are shares of the picture's width and height, ``radius`` a share of its width. ``moved`` takes the place
    from one frame (``frame``, by name; the program's choice if none), ``still`` from all; ``sky`` and ``ground`` say
    what
    a star stack follows there.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    kind: Literal["moved", "still", "sky", "ground"]
    points: list[tuple[Annotated[float, Field(ge=-0.5, le=1.5)], Annotated[float, Field(ge=-0.5, le=1.5)]]] = Field(
        min_length=1, max_length=4000
    )
    radius: float = Field(gt=0, le=0.5)
    frame: Name | None = None


class Choice(BaseModel):
    """The moving region round a place, in shares of width and height, comes from a frame, by name."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)
    frame: Name


def _second(document: dict[str, Any]) -> dict[str, Any]:
    """Version 2 states its basis; before, strokes were shares of all that the reference frame recorded."""
    return document


class Instructions(Document):
    """How frames are to be merged; the defaults let the program decide."""

    UPGRADES = {1: _second}

    version: Literal[2] = 2
    basis: Basis | None = Field(
        None,
        description="what strokes and choices hold on to; null where they are shares of the whole reference frame",
    )
    mode: Literal["auto", "bracket", "stack"] = Field("auto", description="several exposures, or equal frames")
    align: bool = Field(True, description="lay hand-held frames over each other")
    deghost: bool = Field(True, description="take what moved from one frame")
    keep_trails: bool = Field(False, description="keep passing lights, such as of cars, where they were brightest")
    method: Literal["auto", "mean", "clipped", "median", "maximum"] = Field(
        "auto", description="how a stack becomes one: mean, mean without outliers, median, or maximum for trails"
    )
    follow: Literal["auto", "stars", "ground"] = Field("auto", description="what a stack is registered on")
    fringes: bool = Field(True, description="take the lens's lateral colour back before colours are interpolated")
    detail: bool = Field(True, description="gather the detail of frames that were moved from their sites")
    borders: Literal["filled", "common"] = Field(
        "filled", description="keep the reference frame's whole view, or only what all frames cover"
    )
    reference: Name | None = Field(None, description="name of the reference frame")
    seconds: dict[Name, Annotated[float, Field(gt=0, le=36000)]] = Field(
        default_factory=dict,
        max_length=200,
        description="exposure times in s, by frame, where the file has none or a wrong one",
    )
    filter_stops: float = Field(0.0, ge=0, le=30, description="what a filter before the lens took, in stops")
    day: bool | None = Field(None, description="whether it was day; null where nobody has said")
    strokes: list[Stroke] = Field(default_factory=list, max_length=500)
    choices: list[Choice] = Field(default_factory=list, max_length=200)

    def placed(self, matrix: np.ndarray, scale: float, basis: Basis | None = None) -> "Instructions":
        """With strokes and choices where a homography, float64 (3, 3) between shares, takes them.

        ``scale`` is what radii are multiplied by, ``basis`` what they hold on to then.
        """

        def at(x: float, y: float) -> tuple[float, float]:
            p = matrix @ [x, y, 1.0]
            return float(np.clip(p[0] / p[2], *_BEYOND)), float(np.clip(p[1] / p[2], *_BEYOND))

        strokes = [
            s.model_copy(update={"points": [at(*p) for p in s.points], "radius": min(s.radius * scale, 0.5)})
            for s in self.strokes
        ]
        choices = [
            c.model_copy(update={"x": x, "y": y})
            for c in self.choices
            for x, y in [at(c.x, c.y)]
            if 0 <= x <= 1 and 0 <= y <= 1
        ]
        return self.model_copy(update={"strokes": strokes, "choices": choices, "basis": basis})

    def in_basis(self, basis: Basis | None, maps: Mapping[str, list[float]], whole: Basis | None) -> "Instructions":
        """With strokes and choices where they lie in another basis; ``whole`` is all of the reference frame."""
        before = self.basis or whole
        if basis is None or before is None or before == basis or not (self.strokes or self.choices):
            return self.model_copy(update={"basis": basis})
        # Strokes count in widths and heights, other places in longer sides.
        one, other = (np.diag([b.size[0] / max(b.size), b.size[1] / max(b.size), 1.0]) for b in (before, basis))
        matrix = np.linalg.inv(other) @ place_map(before, basis, maps).matrix @ one
        return self.placed(matrix, before.size[0] / basis.size[0], basis)
