"""What a raw file says about itself, read without decoding the picture."""

import re
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import exifread
import numpy as np
import rawpy

from crenn.core.errors import UnreadableFrame

#: Endings of raw files that LibRaw reads.
RAW_ENDINGS = frozenset(
    ".3fr .arw .bay .cap .cr2 .cr3 .crw .dcr .dcs .dng .drf .eip .erf .fff .gpr .iiq .k25 .kdc .mdc .mef "
    ".mos .mrw .nef .nrw .orf .pef .ptx .pxn .raf .raw .rw2 .rwl .rwz .sr2 .srf .srw .x3f".split()
)

#: The largest picture accepted, in pixels, against files that lie about their size.
MAX_PIXELS = 400_000_000
#: The smallest side a frame can be merged at, in pixels: the reach of the demosaic.
MIN_SIDE = 16


@dataclass(frozen=True)
class FrameMetadata:
    """Metadata of one raw frame.

    ``seconds``, ``aperture``, ``focal_length`` are None where the file does not tell. ``noise_profile``
    holds a pair (S, O) per colour R, G, B of ``var(x) = S x + O``, or is None.
    """

    width: int
    height: int
    seconds: float | None
    aperture: float | None
    iso: float
    taken: datetime | None
    make: str
    model: str
    lens: str
    focal_length: float | None
    noise_profile: tuple[tuple[float, float], ...] | None

    @property
    def sensitivity(self) -> float | None:
        """Light recorded per unit of radiance, relative to 1 s, f/8, ISO 100; None if unknown."""
        if not self.seconds:
            return None
        return self.seconds * self.iso / 100.0 * (8.0 / (self.aperture or 8.0)) ** 2


def open_raw(path: Path) -> rawpy.RawPy:
    """Open a raw file with LibRaw; the picture is not decoded yet.

    Raises
    ------
    UnreadableFrame
        If the file is missing, foreign or broken.
    """
    if not Path(path).is_file():
        raise UnreadableFrame("does not exist.", path, "Check its name.")
    raw = rawpy.RawPy()
    try:
        raw.open_file(str(path))
    except rawpy.LibRawError:
        raw.close()
        raise UnreadableFrame("is not a raw file this program can read, or is damaged.", path,
                              "Copy it again from the card.") from None
    return raw


def _exif(path: Path) -> dict:
    try:
        with open(path, "rb") as file:
            return exifread.process_file(file, details=False)
    except Exception:  # a maker's own structure that the reader does not know is no reason to refuse the frame
        return {}


def _noise_profile(tags: dict) -> tuple[tuple[float, float], ...] | None:
    for name, tag in tags.items():
        if name.endswith("NoiseProfile") or name.endswith("0xC761"):
            values = np.ravel(tag.values).astype(float).tolist()
            if len(values) == 2:
                values = values * 3
            if len(values) == 6 and all(s > 0 and o >= 0 for s, o in zip(values[::2], values[1::2])):
                return tuple(zip(values[::2], values[1::2]))
    return None


def read_metadata(path: Path, raw: rawpy.RawPy | None = None) -> FrameMetadata:
    """Read a raw file's metadata.

    Raises
    ------
    UnreadableFrame
        If LibRaw cannot open the file, or its picture is too small or too large.
    """
    opened = raw if raw is not None else open_raw(path)
    try:
        sizes, other, lens = opened.sizes, opened.other, opened.lens
    except rawpy.LibRawError:
        raise UnreadableFrame("is damaged: its picture data breaks off.", path, "Copy it again from the card.") from None
    finally:
        if raw is None:
            opened.close()
    if min(sizes.width, sizes.height) < MIN_SIDE:
        raise UnreadableFrame(f"is only {sizes.width}×{sizes.height} pixels;", path,
                              f"a frame needs at least {MIN_SIDE} on each side.")
    if sizes.width * sizes.height > MAX_PIXELS:
        raise UnreadableFrame(f"claims {sizes.width}×{sizes.height} pixels, more than can be handled.", path)
    tags = _exif(path)
    taken = other.timestamp
    stamp = str(tags.get("EXIF DateTimeOriginal", ""))
    if re.fullmatch(r"\d{4}:\d\d:\d\d \d\d:\d\d:\d\d", stamp):
        try:
            taken = datetime.strptime(stamp, "%Y:%m:%d %H:%M:%S")
        except ValueError:
            pass
        fraction = str(tags.get("EXIF SubSecTimeOriginal", "")).strip()
        if taken and fraction.isdigit():
            taken = taken.replace(microsecond=int(float("0." + fraction) * 1e6))
    return FrameMetadata(
        width=sizes.width, height=sizes.height,
        seconds=other.shutter_speed if other.shutter_speed and other.shutter_speed > 0 else None,
        aperture=other.aperture if other.aperture and other.aperture > 0 else None,
        iso=other.iso_speed if other.iso_speed and other.iso_speed > 0 else 100.0,
        taken=taken.replace(tzinfo=None) if taken and taken.year > 1971 else None,
        make=str(tags.get("Image Make", "")).strip(), model=str(tags.get("Image Model", "")).strip(),
        lens=(lens.model or "").strip() if lens else "", focal_length=other.focal_length or None,
        noise_profile=_noise_profile(tags),
    )
