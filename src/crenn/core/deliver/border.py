"""A border round a delivered picture, and a line of caption in it."""

from collections.abc import Iterator
from functools import lru_cache
from typing import Literal

import numpy as np
from PIL import Image, ImageDraw
from pydantic import BaseModel, ConfigDict, Field

from crenn.core.colorimetry.spaces import luminance_of_lightness
from crenn.core.deliver.letters import letters
from crenn.core.deliver.spaces import SPACES, CodeSpace

#: L* of each shade, and of the caption on it.
_SHADES = {"white": (100.0, 30.0), "grey": (50.0, 95.0), "black": (0.0, 70.0)}
#: Height of the caption's letters in shares of the longer side, the least in pixels, and of its line in those.
_LETTERS, _LEAST, _LINE = 0.014, 9.0, 3.0


class Border(BaseModel):
    """What goes round a picture."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    width: float = Field(3.0, ge=0, le=25, description="in % of the picture's longer side")
    shade: Literal["white", "grey", "black"] = "white"
    caption: str = Field(
        "", max_length=200, pattern=r"^[^\x00-\x1f\x7f]*$", description="one line, within the lower border"
    )


def bordered(
    bands: Iterator[np.ndarray], size: tuple[int, int], border: Border, space: CodeSpace = SPACES["srgb"]
) -> tuple[Iterator[np.ndarray], tuple[int, int]]:
    """A picture with a border.

    Parameters
    ----------
    bands : iterator of ndarray, uint16 (rows, w, 3)
        From the top down, codes of the space.
    size : tuple of int
        (w, h).
    border : Border
        With a caption, the lower border is at least as high as its line.
    space : CodeSpace, optional

    Returns
    -------
    bands : iterator of ndarray, uint16 (rows, W, 3)
    size : tuple of int
        (W, H) with the border.
    """
    width, height = size
    side, foot, tall = _sides(size, border)
    whole = width + 2 * side, height + side + foot
    ground, ink = (_code(lightness, space) for lightness in _SHADES[border.shade])

    def rows(count: int) -> np.ndarray:
        return np.full((count, whole[0], 3), ground, np.uint16)

    def framed() -> Iterator[np.ndarray]:
        if side:
            yield rows(side)
        for band in bands:
            out = rows(len(band))
            out[:, side : side + width] = band
            yield out
        if foot:
            lower = rows(foot)
            if border.caption:
                share = _written(border.caption, (whole[0], foot), tall)[..., None]
                lower = np.rint(lower + share * (np.float64(ink) - lower)).astype(np.uint16)
            yield lower

    return framed(), whole


def _sides(size: tuple[int, int], border: Border) -> tuple[int, int, float]:
    """Pixels of a border to the sides and above, those below, and the height of its letters."""
    side = round(border.width / 100 * max(size))
    tall = max(_LETTERS * max(size), _LEAST)
    return side, max(side, round(_LINE * tall)) if border.caption else side, tall


def within(bands: Iterator[np.ndarray], size: tuple[int, int], border: Border) -> Iterator[np.ndarray]:
    """A mask, uint16 (rows, w) a band, as large as the picture with its border, in which it holds nothing."""
    side, foot, _ = _sides(size, border)
    for count in (side, None, foot):
        if count is None:
            yield from (np.pad(band, ((0, 0), (side, side))) for band in bands)
        elif count:
            yield np.zeros((count, size[0] + 2 * side), np.uint16)


def _code(lightness: float, space: CodeSpace) -> int:
    """The 16-bit code of grey of a CIE lightness."""
    return int(space.encoded(np.array(luminance_of_lightness(lightness), np.float32)))


@lru_cache(maxsize=2)
def _written(text: str, size: tuple[int, int], height: float) -> np.ndarray:
    """How far letters cover the pixels of a line of a size (w, h), 0 to 1, float64 (h, w); smaller where they would not
    fit."""
    font = letters(height)
    room = 0.9 * size[0]
    if (long := font.getlength(text)) > room:
        font = letters(height * room / long)
    page = Image.new("L", size, 0)
    ImageDraw.Draw(page).text((size[0] / 2, size[1] / 2), text, fill=255, font=font, anchor="mm")
    return np.asarray(page, np.float64) / 255
