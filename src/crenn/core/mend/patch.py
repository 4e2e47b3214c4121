"""Mends as documents: what is to be replaced, and from where."""

from functools import cached_property
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, field_validator, model_validator

from crenn.core.areas.brush import GRID
from crenn.core.areas.part import Id, Keyed, Place, Share, with_ids
from crenn.core.basis import PlaceMap
from crenn.core.pipeline.step import dial

#: A treatment has at most so many layers of mends, a layer so many patches, and the line of one so many points.
MOST_LAYERS, MOST_PATCHES, MOST_POINTS = 12, 1000, 500


class Origin(Keyed):
    """Where the light of a patch is taken from: its place, moved, and about its middle scaled, turned and mirrored."""

    shift: Place = Field(description="from the patch to its origin, in shares of the scene's longer side")
    scale: float = Field(1.0, ge=0.25, le=4.0, description="size of what is taken, of 1")
    turn: float = Field(0.0, ge=-180.0, le=180.0, description="by which what is taken is turned, in degrees clockwise")
    mirror: bool = Field(False, description="whether what is taken is mirrored from left to right, before it is turned")

    @property
    def rigid(self) -> bool:
        """Whether it is moved alone."""
        return self.scale == 1.0 and self.turn == 0.0 and not self.mirror

    def matrix(self) -> np.ndarray:
        """From steps in the patch to steps in its origin, float64 (2, 2)."""
        angle = np.radians(self.turn)
        turned = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
        return np.asarray(np.diag([-1.0 if self.mirror else 1.0, 1.0]) @ turned / self.scale)


class OtherFrame(Keyed):
    """A frame of the scene whose own light a patch shows: of what it saw behind a thing that moved."""

    frame: Annotated[str, Field(min_length=1, max_length=300)] | None = Field(
        None, description="its key in the merge's report; null: found"
    )


class Patch(Keyed):
    """A part of the scene that other light is put in the place of.

    ``points`` are whole numbers of 1/16384 of the scene's longer side: x and y of the first place, then how far each
    next one lies from the one before. They are the line of a stroke as wide as twice ``radius``, or with ``closed`` an
    outline, beyond which it reaches by ``radius``.
    """

    id: Id = Field("", description="what it is known by in its layer; given to it if empty")
    on: bool = True
    points: list[Annotated[int, Field(ge=-4 * GRID, le=5 * GRID)]] = Field(
        min_length=2, max_length=2 * MOST_POINTS, description="x, y, then by how much each next place differs"
    )
    closed: bool = Field(False, description="whether the points are an outline")
    radius: float = Field(ge=0.0, le=0.25, description="in shares of the scene's longer side")
    origin: Origin | None = Field(None, description="null: found")
    other: OtherFrame | None = Field(None, description="takes the light of the place itself, from another frame")
    attempt: int = Field(0, ge=0, le=99, description="of what is found, how many better ones are passed over")
    within: Annotated[list[Share], Field(min_length=4, max_length=4)] | None = Field(
        None, description="what is found lies in this box: its left, upper, right and lower edge"
    )
    fit: Literal["blend", "copy"] = Field(
        "blend", description="whether light and colour are fitted to the place, or stay as they are"
    )
    softness: float = dial(0.0, "%", 0, 100, 1, "Softness", "How far its edge fades inwards, in % of its half width.")
    opacity: float = dial(100.0, "%", 0, 100, 1, "Opacity", "How far it covers what was there.")

    @model_validator(mode="after")
    def _has_extent(self) -> "Patch":
        if len(self.points) % 2:
            raise ValueError("each place of a patch needs x and y")
        if self.closed and len(self.points) < 6:
            raise ValueError("an outline needs three places at least")
        if not self.closed and self.radius < 0.00005:
            raise ValueError("a stroke needs a radius")
        if self.origin is not None and self.other is not None:
            raise ValueError("light comes from another place or from another frame, not from both")
        return self

    @cached_property
    def key(self) -> str:
        """What it is made from."""
        return self.model_dump_json(exclude={"id", "on", "opacity"})

    def places(self) -> np.ndarray:
        """Its line or outline, in shares of the scene's longer side, float64 (N, 2)."""
        return np.cumsum(np.array(self.points, np.float64).reshape(-1, 2), 0) / GRID

    def moved(self, by: PlaceMap) -> "Patch":
        """The patch where a map of places takes it."""
        places = self.places()
        middle = places.mean(0)
        whole = np.round(by.at(places) * GRID).astype(np.int64)
        changes: dict = {"points": np.concatenate([whole[:1], np.diff(whole, axis=0)]).ravel().tolist()}
        changes["radius"] = min(self.radius * by.scale(middle.tolist()), 0.25)
        if self.origin is not None:
            there = by.at(np.stack([middle, middle + self.origin.shift]))
            changes["origin"] = self.origin.changed(shift=(there[1] - there[0]).tolist())
        if self.within is not None:
            corners = by.at(np.array(self.within).reshape(2, 2))
            changes["within"] = [*corners.min(0).tolist(), *corners.max(0).tolist()]
        return self.changed(**changes)


class MendLayer(Keyed):
    """Patches that are switched and faded together."""

    id: Id = Field("", description="what it is known by in its document; given to it if empty")
    name: str = Field("Mends", min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$")
    on: bool = True
    opacity: float = dial(100.0, "%", 0, 100, 1, "Opacity", "How far all of its patches cover what was there.")
    patches: list[Patch] = Field(default_factory=list, max_length=MOST_PATCHES)

    @field_validator("patches")
    @classmethod
    def _known_apart(cls, patches: list[Patch]) -> list[Patch]:
        return with_ids(patches, "m")

    @cached_property
    def key(self) -> tuple:
        """What tells it from others that show something else."""
        return self.on, self.opacity, tuple((p.key, p.opacity) for p in self.patches if p.on)

    def moved(self, by: PlaceMap) -> "MendLayer":
        """The layer where a map of places takes it."""
        return self.changed(patches=[patch.moved(by) for patch in self.patches])


def acting(layers: list[MendLayer]) -> list[tuple[Patch, float]]:
    """Patches that show, in the order in which they are put, and how far each covers, 0 to 1."""
    return [
        (patch, layer.opacity / 100 * patch.opacity / 100)
        for layer in layers
        if layer.on
        for patch in layer.patches
        if patch.on and layer.opacity * patch.opacity > 0
    ]
