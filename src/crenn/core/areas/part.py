"""A part of an area's mask: what all kinds have in common, and what they are made in."""

import itertools
from functools import cache, cached_property
from typing import Annotated, Any, Literal, Protocol, Self, TypeVar

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from crenn.core.areas.found.trimap import TrimapModel
from crenn.core.pipeline.scene import Lamp
from crenn.core.pipeline.step import dial

#: A share of the scene plane's longer side, of places that may lie beyond the picture.
Share = Annotated[float, Field(ge=-4, le=5)]
Place = Annotated[list[Share], Field(min_length=2, max_length=2)]

#: What is found in the picture by itself.
Kind = Literal["sky", "ground", "water", "lamps", "stars", "subject"]
#: What is told apart on the whole scene.
Apart = Literal["sky", "water", "subject"]


class Scenery(Protocol):
    """What parts are made in: a window of the picture, and what is known of its scene.

    Attributes
    ----------
    scale : float
        Pixels of the window per full-size pixel.
    long_side : int
        Longer side of the scene, in full-size pixels.
    floor : float
        Luminance below which noise rules.
    lamps : tuple of Lamp
    """

    scale: float
    long_side: int
    floor: float
    lamps: tuple[Lamp, ...]

    def places(self) -> tuple[np.ndarray, np.ndarray]:
        """Where pixels lie: x and y in shares of the scene's longer side, float32 (h, w)."""
        ...

    def light(self, blur: float = 0.0) -> np.ndarray:
        """The scene's light before any dial, float32 (h, w, 3), evened out by a deviation in full-size pixels."""
        ...

    def appearance_features(self, blur: float) -> np.ndarray:
        """What `crenn.core.areas.appearance.appearance_features` tells of that light, float32 (h, w, 3)."""
        ...

    def noise(self, stops: np.ndarray) -> np.ndarray:
        """Deviation of the window's pixels at stops, in EV."""
        ...

    def apart(self, kind: Apart) -> TrimapModel:
        """What of the whole scene a kind is told apart by."""
        ...

    def sampled(self, plane: np.ndarray) -> np.ndarray:
        """A plane of the whole scene at any size, (H, W) or (H, W, C), where the window's pixels lie, float32."""
        ...

    def sampled_at(self, plane: np.ndarray, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
        """The same for some pixels of the window alone, float32 (N,) or (N, C)."""
        ...

    def painted(self, brush: "Part") -> np.ndarray:
        """What a brush has painted, float32 (h, w)."""
        ...

    def grown(self, part: "Part") -> np.ndarray:
        """What has grown from a part's places, float32 (h', w') over the whole scene at a reduced size."""
        ...


class Keyed(BaseModel):
    """Something that a mask is made from: what it is told apart by is worked out once."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)

    def changed(self, **values: Any) -> Self:
        """The same with other values, which are not checked."""
        other = self.model_copy(update=values)
        # A copy would keep what was worked out of that which it was copied from.
        for name in _worked_out(type(self)):
            other.__dict__.pop(name, None)
        return other


@cache
def _worked_out(kind: type) -> tuple[str, ...]:
    """Names of what a class works out once."""
    return tuple(name for base in kind.__mro__ for name, own in vars(base).items() if isinstance(own, cached_property))


#: What an area or a part is known by within its document.
Id = Annotated[str, Field(max_length=24, pattern=r"^[A-Za-z0-9_-]*$")]
I = TypeVar("I", bound="Keyed")


def with_ids(things: list[I], letter: str) -> list[I]:
    """Things of a list, those that have no id with one that no other has.

    Raises
    ------
    ValueError
        If two have the same.
    """
    taken = [one.id for one in things if one.id]  # type: ignore[attr-defined]
    for own in taken:
        if taken.count(own) > 1:
            raise ValueError(f"two have the id “{own}”: give each one of its own, or none")
    free = (name for n in itertools.count(1) if (name := f"{letter}{n}") not in taken)
    return [one if one.id else one.changed(id=next(free)) for one in things]  # type: ignore[attr-defined]


class Part(Keyed):
    """One part of an area's mask, and how it joins those before it."""

    id: Id = Field("", description="what it is known by in its area; given to it if empty")
    mode: Literal["add", "subtract", "intersect"] = Field(
        "add", description="whether it adds to the parts before it, takes away from them, or leaves what both have"
    )
    invert: bool = Field(False, description="takes what lies outside of it")
    on: bool = Field(True, description="whether it takes part")
    soften: float = dial(
        0.0, "%", 0, 10, 0.05, "Soften", "Blurs its edge, by a deviation in % of the picture's longer side."
    )
    refine: float = dial(
        0.0,
        "px",
        0,
        200,
        1,
        "To edges",
        "Draws its edge to the picture's own, from so far away in full-size pixels.",
    )

    @cached_property
    def key(self) -> str:
        """What its own share is made from; how it joins others does not belong there."""
        return type(self).__name__ + self.model_dump_json(exclude={"id", "mode", "invert", "on"})

    def share(self, scenery: Scenery) -> np.ndarray:
        """How far places belong to it before it is refined, softened or inverted, float32 (h, w) of 0 to 1."""
        raise NotImplementedError
