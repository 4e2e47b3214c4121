"""Letters on pictures: Debian's DejaVu Sans, which has those of most scripts."""

from functools import lru_cache
from pathlib import Path

from PIL import ImageFont

SANS = Path("/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf")
Font = ImageFont.FreeTypeFont | ImageFont.ImageFont


@lru_cache(maxsize=16)
def letters(size: float) -> Font:
    """Letters of a size in pixels; where the font is not installed, Pillow's own, which has plain Latin ones alone."""
    return ImageFont.truetype(SANS, size) if SANS.is_file() else ImageFont.load_default(size)
