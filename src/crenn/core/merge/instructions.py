"""What the user wants of a merge: an open document, stored with the scene."""

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from crenn.core.document import Document


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


class Instructions(Document):
    """How frames are to be merged; the defaults let the program decide."""

    version: Literal[1] = 1
    mode: Literal["auto", "bracket", "stack"] = Field("auto", description="several exposures, or equal frames")
    align: bool = Field(True, description="lay hand-held frames over each other")
    deghost: bool = Field(True, description="take what moved from one frame")
    keep_trails: bool = Field(False, description="keep passing lights, such as of cars, where they were brightest")
    method: Literal["auto", "mean", "clipped", "median", "maximum"] = Field(
        "auto", description="how a stack becomes one: mean, mean without outliers, median, or maximum for trails"
    )
    follow: Literal["auto", "stars", "ground"] = Field("auto", description="what a stack is registered on")
    fringes: bool = Field(True, description="take the lens's lateral colour back before colours are interpolated")
    borders: Literal["filled", "common"] = Field(
        "filled", description="keep the reference frame's whole view, or only what all frames cover"
    )
    reference: Name | None = Field(None, description="name of the reference frame")
    seconds: dict[Name, Annotated[float, Field(gt=0, le=36000)]] = Field(
        default_factory=dict,
        max_length=200,
        description="exposure times in s, by frame, where the file has none or a wrong one",
    )
    strokes: list[Stroke] = Field(default_factory=list, max_length=500)
    choices: list[Choice] = Field(default_factory=list, max_length=200)
