"""What a delivered file is to be like."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from crenn.core.deliver.border import Border
from crenn.core.deliver.spaces import SpaceName
from crenn.core.errors import CrennError

FileFormat = Literal["jpg", "png", "tif", "avif", "webp", "exr", "dng"]
FORMATS: tuple[FileFormat, ...] = ("jpg", "png", "tif", "avif", "webp", "exr", "dng")
#: Formats that hold light, and no picture.
_OF_LIGHT = ("exr", "dng")
#: Formats whose encoders leave something out.
LOSSY = ("jpg", "avif", "webp")
#: Formats that can hold what is above white.
BEYOND_WHITE = ("jpg", "avif", "png")
#: By how many times a picture can be enlarged, and the longest side of a file: that of a JPEG (ITU-T T.81).
MOST_TIMES, LONGEST = 4.0, 65500
#: A line of text that can stand in a file.
_Line = Annotated[str, Field(max_length=500, pattern=r"^[^\x00-\x1f\x7f]*$")]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)


class OutputSize(_Part):
    """How large a picture is delivered: as it is, or by one of its numbers."""

    by: Literal["full", "pixels", "print", "share", "megapixels"] = "full"
    pixels: int = Field(2048, ge=16, le=LONGEST, description="of the longer side")
    cm: float = Field(40.0, ge=1, le=1000, description="longer side of a print")
    dpi: int = Field(300, ge=10, le=2400, description="of a print")
    share: float = Field(50.0, ge=1, le=100 * MOST_TIMES, description="of each side, in %")
    megapixels: float = Field(12.0, ge=0.001, le=2000)
    enlarge: bool = Field(False, description="whether a picture that has fewer pixels is enlarged")

    def of(self, size: tuple[int, int]) -> tuple[int, int]:
        """(w, h) in pixels of a picture of (w, h); its ratio is kept.

        Raises
        ------
        CrennError
            If it would be enlarged by more than `MOST_TIMES`, or be longer than a file can be.
        """
        longer = max(size)
        factor = {
            "full": 1.0,
            "pixels": self.pixels / longer,
            "print": self.cm / 2.54 * self.dpi / longer,
            "share": self.share / 100,
            "megapixels": (self.megapixels * 1e6 / (size[0] * size[1])) ** 0.5,
        }[self.by]
        if not self.enlarge:
            factor = min(factor, 1.0)
        if factor > MOST_TIMES * 1.0001:
            raise CrennError(
                f"The picture would be enlarged {factor:.1f} times,",
                remedy=f"and can be {MOST_TIMES:g} times: {longer * MOST_TIMES:.0f} px of its longer side.",
            )
        width, height = (max(round(n * factor), 1) for n in size)
        if max(width, height) > LONGEST:
            raise CrennError(f"A side of {max(width, height)} px is too long;", remedy=f"files can have {LONGEST}.")
        return width, height


class About(_Part):
    """What is told in a file beside its picture."""

    camera: bool = Field(True, description="camera and lens")
    exposure: bool = Field(True, description="time, aperture, sensitivity and focal length of the reference frame")
    time: bool = Field(True, description="when it was taken")
    position: bool = Field(True, description="where it was taken, if the reference frame tells")
    title: _Line = ""
    caption: _Line = ""
    creator: _Line = ""
    copyright: _Line = ""
    treatment: bool = Field(True, description="what was done to it, so that it can be done again")


class Output(_Part):
    """A file to be delivered."""

    format: FileFormat = "jpg"
    size: OutputSize = Field(default_factory=OutputSize)
    space: SpaceName = Field("srgb", description="not of OpenEXR and DNG, which are scene-linear Rec. 2020")
    profile: str | None = Field(
        None,
        min_length=1,
        max_length=60,
        pattern=r"^[^\x00-\x1f\x7f]*$",
        description="name of a kept ICC profile of RGB, in the place of the space",
    )
    bits: Literal[8, 16] = Field(16, description="of PNG and TIFF")
    areas: bool = Field(False, description="whether a TIFF holds the masks of areas as further pages, grey of 16 bits")
    half: bool = Field(False, description="whether OpenEXR and DNG have numbers of 16 bits, and not of 32")
    quality: int = Field(92, ge=1, le=100, description="of JPEG, AVIF and WebP")
    most_kb: int | None = Field(
        None, ge=5, le=1_000_000, description="kB that JPEG, AVIF and WebP may have at most: quality falls for it"
    )
    colour: Literal["auto", "full", "halved"] = Field(
        "auto", description="of JPEG and AVIF: 4:4:4 or 4:2:0; by itself the first from a quality of 88 on"
    )
    progressive: bool = Field(False, description="of JPEG")
    hdr: float | None = Field(
        None,
        ge=0.5,
        le=5,
        description="stops above white that lamps reach on screens that can: a JPEG holds them beside the picture as a "
        "gain map (ISO 21496-1), AVIF and PNG are Rec. 2100 PQ; no other format does",
    )
    sharpen: Literal["none", "screen", "glossy", "matt"] = Field("none", description="what it is sharpened for")
    sharpening: float = Field(100.0, ge=0, le=200, description="strength of that in %")
    border: Border | None = Field(None, description="goes round the picture; not of OpenEXR and DNG")
    about: About = Field(default_factory=About)
    name: str = Field(
        "{title}", min_length=1, max_length=200, pattern=r"^[^\x00-\x1f\x7f]*$", description="pattern of its name"
    )

    @property
    def of_light(self) -> bool:
        """Whether it holds light, and no picture."""
        return self.format in _OF_LIGHT

    @property
    def lossy(self) -> bool:
        return self.format in LOSSY

    @property
    def stops(self) -> float | None:
        """How far above white lamps reach, in stops, if the format can hold that."""
        return self.hdr if self.format in BEYOND_WHITE else None

    @property
    def pq(self) -> bool:
        """Whether codes are those of absolute light."""
        return self.stops is not None and self.format != "jpg"

    @property
    def halved(self) -> bool:
        """Whether colour has half the size."""
        return self.colour == "halved" or (self.colour == "auto" and self.quality < 88)
