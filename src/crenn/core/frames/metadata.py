"""What a raw file says about itself, read without decoding the picture."""

import contextlib
import re
import unicodedata
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import exifread
import numpy as np
import rawpy

from crenn.core.errors import UnreadableFrame
from crenn.core.frames.position import Position
from crenn.core.frames.sizes import check_size

#: Endings of raw files that LibRaw reads.
RAW_ENDINGS = frozenset(
    [
        ".3fr",
        ".arw",
        ".bay",
        ".cap",
        ".cr2",
        ".cr3",
        ".crw",
        ".dcr",
        ".dcs",
        ".dng",
        ".drf",
        ".eip",
        ".erf",
        ".fff",
        ".gpr",
        ".iiq",
        ".k25",
        ".kdc",
        ".mdc",
        ".mef",
        ".mos",
        ".mrw",
        ".nef",
        ".nrw",
        ".orf",
        ".pef",
        ".ptx",
        ".pxn",
        ".raf",
        ".raw",
        ".rw2",
        ".rwl",
        ".rwz",
        ".sr2",
        ".srf",
        ".srw",
        ".x3f",
    ]
)

#: What numbers in files must lie between to be believed: seconds, f-numbers, ISO and millimetres.
_PLAUSIBLE = {
    "seconds": (1e-7, 36_000.0),
    "aperture": (0.3, 256.0),
    "iso": (1e-9, 1e12),
    "focal_length": (0.5, 20_000.0),
}
_LONGEST_TEXT = 120
#: Unicode's control, format, private and unassigned characters, and its breaks of lines.
_NO_TEXT = frozenset(("Cc", "Cf", "Co", "Cn", "Zl", "Zp"))


def plain_text(text: str, most: int = 1000) -> str:
    """Text as databases and messages can hold it: no control characters, no half characters, at most ``most`` long."""
    text = text.encode("utf-8", "replace").decode()
    return "".join(c for c in text if unicodedata.category(c) not in _NO_TEXT)[:most].strip()


def plausible(what: str, value) -> float | None:
    """A number of a file, if it is one and can be what it says; ``what`` is a field of `FrameMetadata`."""
    low, high = _PLAUSIBLE[what]
    try:
        value = float(value)
    except (TypeError, ValueError, OverflowError):
        return None
    return value if low <= value <= high else None


@dataclass(frozen=True)
class FrameMetadata:
    """Metadata of one raw frame.

    ``seconds``, ``aperture``, ``focal_length``, ``position`` are None where the file does not tell. ``noise_profile``
    holds a pair (S, O) per colour R, G, B of ``var(x) = S x + O``, or is None. Numbers that cannot be are left out,
    whatever file they come from; text is cut to a length that can be shown.
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
    position: Position | None = None

    def __post_init__(self) -> None:
        for name in ("seconds", "aperture", "focal_length"):
            object.__setattr__(self, name, plausible(name, getattr(self, name)))
        object.__setattr__(self, "iso", plausible("iso", self.iso) or 100.0)
        for name in ("make", "model", "lens"):
            object.__setattr__(self, name, plain_text(getattr(self, name), _LONGEST_TEXT))
        if self.taken is not None:
            object.__setattr__(
                self, "taken", self.taken.replace(tzinfo=None) if 1971 < self.taken.year < 9999 else None
            )

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
        raise UnreadableFrame(
            "is not a raw file this program can read, or is damaged.", path, "Copy it again from the card."
        ) from None
    return raw


def exif_tags(path: Path) -> dict:
    """Exif and TIFF tags of a file, as `exifread` names them; none where they cannot be read."""
    try:
        with open(path, "rb") as file:
            return exifread.process_file(file, details=False)
    except Exception:  # a maker's own structure that the reader does not know is no reason to refuse the frame
        return {}


def _noise_profile(tags: dict) -> tuple[tuple[float, float], ...] | None:
    for name, tag in tags.items():
        if name.endswith(("NoiseProfile", "0xC761")):
            values = np.ravel(tag.values).astype(float).tolist()
            if len(values) == 2:
                values = values * 3
            if len(values) == 6 and all(0 < s < 1 and 0 <= o < 1 for s, o in zip(values[::2], values[1::2])):
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
        # Sizes are known before anything is decoded: a file that claims too much is refused here.
        sizes = opened.sizes
        check_size(path, "raw", max(sizes.width, sizes.raw_width), max(sizes.height, sizes.raw_height))
        check_size(path, "raw", sizes.width, sizes.height)
        other, lens = opened.other, opened.lens
    except rawpy.LibRawError:
        raise UnreadableFrame(
            "is damaged: its picture data breaks off.", path, "Copy it again from the card."
        ) from None
    finally:
        if raw is None:
            opened.close()
    tags = exif_tags(path)
    try:
        taken = other.timestamp
    except (ValueError, OverflowError, OSError):
        taken = None
    stamp = str(tags.get("EXIF DateTimeOriginal", ""))
    if re.fullmatch(r"\d{4}:\d\d:\d\d \d\d:\d\d:\d\d", stamp):
        with contextlib.suppress(ValueError):
            taken = datetime.strptime(stamp, "%Y:%m:%d %H:%M:%S")
        fraction = str(tags.get("EXIF SubSecTimeOriginal", "")).strip()
        if taken and fraction.isdigit():
            taken = taken.replace(microsecond=int(float("0." + fraction) * 1e6))
    return FrameMetadata(
        width=sizes.width,
        height=sizes.height,
        seconds=other.shutter_speed,
        aperture=other.aperture,
        iso=other.iso_speed,
        taken=taken,
        make=str(tags.get("Image Make", "")),
        model=str(tags.get("Image Model", "")),
        lens=(lens.model or "") if lens else "",
        focal_length=other.focal_length,
        noise_profile=_noise_profile(tags),
        position=Position.of(tags),
    )
