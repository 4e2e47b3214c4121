"""What is asked for on the line of pictures."""

import json
from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from crenn.api.faults import validation_words
from crenn.core.areas.part import Id
from crenn.core.changes import Change
from crenn.core.deliver.proof import Proof
from crenn.core.errors import CrennError
from crenn.core.render.window import Window

#: A view has at most so many pixels.
MAX_PIXELS = 16_000_000
#: Names of prepared scenes: scene and job, never a path.
PREPARED = r"^\d+-\d+$"
#: Of sRGB, 8 bits.
Code = Annotated[int, Field(ge=0, le=255)]
#: x, y, width, height in full-size pixels of the picture.
Part = tuple[float, float, Annotated[float, Field(gt=0)], Annotated[float, Field(gt=0)]]


class _Request(BaseModel):
    """What is asked for of a treatment: the one that the line has, once it was told the whole, or what is other now."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    prepared: str = Field(pattern=PREPARED, max_length=40)
    #: The whole treatment, or what is other than when the line was told last; nothing if it is the same.
    document: dict | None = None
    changes: list[Change] = Field(default_factory=list, max_length=1000)
    #: All that was recorded, to set the crop in it.
    uncropped: bool = False


class ViewRequest(_Request):
    """One picture wanted: a part of it in full-size pixels, and the size at which to show it.

    Without a part it is all of the picture, as large as fits into ``out_width`` by ``out_height``, and at most
    ``most`` times as large as it is. A part that lies beyond the picture, as one asked for before a crop does, is moved
    into it. ``known`` is the map that the page has; a new one is sent if it is another. ``area``, ``piece`` and
    ``range`` are the ids of an area and of a part of it, and the name of a range of hues, that views of them show;
    ``within`` is the id of the area whose tones are counted, ``ink`` what a mask is washed in, ``proof`` for
    which device the picture is proofed.
    """

    number: int = Field(ge=0, le=2**53)
    view: str = Field("picture", max_length=20)
    part: Part | None = None
    out_width: int = Field(ge=1, le=8192)
    out_height: int = Field(ge=1, le=8192)
    most: float = Field(1.0, gt=0, le=64)
    coarse: bool = False
    known: str = Field("", max_length=80)
    area: Id | None = None
    piece: Id | None = None
    range: str | None = Field(None, max_length=40)
    within: Id | None = None
    ink: tuple[Code, Code, Code] | None = None
    proof: Proof | None = None

    @model_validator(mode="after")
    def _not_too_large(self) -> "ViewRequest":
        if self.out_width * self.out_height > MAX_PIXELS:
            raise ValueError(f"more than {MAX_PIXELS / 1e6:.0f} megapixels are too many for one view")
        return self

    def window(self, size: tuple[int, int]) -> Window:
        """The window of a picture of size (H, W)."""
        if self.part is not None:
            window = Window(*self.part, self.out_width, self.out_height)
            return window if window.overlaps(size) else window.moved_into(size)
        height, width = size
        zoom = min(self.out_width / width, self.out_height / height, self.most)
        return Window(0, 0, width, height, max(round(width * zoom), 1), max(round(height * zoom), 1))


class ProbeRequest(_Request):
    """What lies under the pointer, in full-size pixels."""

    probe: tuple[float, float]


class Misunderstood(CrennError):
    """A message that is no request; ``number`` is the one it gave itself, if it did."""

    def __init__(self, why: str, number: int | None = None):
        super().__init__(f"This request cannot be understood: {why}")
        self.number = number


def understood(message: Mapping[str, Any]) -> ViewRequest | ProbeRequest:
    """The request in a message of the line.

    Raises
    ------
    Misunderstood
        If there is none: binary, no JSON, no object, or a value that cannot be.
    """
    text = message.get("text")
    if text is None:
        raise Misunderstood("it is no text.")
    try:
        wanted = json.loads(text)
    except (ValueError, RecursionError):
        raise Misunderstood("it is no JSON.") from None
    if not isinstance(wanted, dict):
        raise Misunderstood("it is no JSON object.")
    try:
        return (ProbeRequest if "probe" in wanted else ViewRequest).model_validate(wanted)
    except ValidationError as fault:
        number = wanted.get("number")
        raise Misunderstood(
            validation_words(fault.errors()), number if type(number) is int and 0 <= number <= 2**53 else None
        ) from None
