"""Capture metadata of a finished picture."""

from dataclasses import dataclass, replace
from datetime import datetime
from fractions import Fraction

from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from crenn.core.deliver.output import About
from crenn.core.frames.metadata import FrameMetadata
from crenn.core.frames.position import Position


@dataclass(frozen=True)
class CaptureMetadata:
    """Capture metadata carried into the finished file; None where unknown."""

    make: str = ""
    model: str = ""
    lens: str = ""
    seconds: float | None = None
    aperture: float | None = None
    iso: float | None = None
    focal_length: float | None = None
    taken: datetime | None = None
    position: Position | None = None

    @classmethod
    def of(cls, frame: FrameMetadata) -> "CaptureMetadata":
        """Metadata of a frame."""
        return cls(
            frame.make,
            frame.model,
            frame.lens,
            frame.seconds,
            frame.aperture,
            frame.iso,
            frame.focal_length,
            frame.taken,
            frame.position,
        )

    def told(self, about: About) -> "CaptureMetadata":
        """What of it is to be told."""
        camera = {} if about.camera else {"make": "", "model": "", "lens": ""}
        exposure = {} if about.exposure else dict.fromkeys(("seconds", "aperture", "iso", "focal_length"))
        others = {"taken": about.time, "position": about.position}
        return replace(self, **camera, **exposure, **{name: None for name, kept in others.items() if not kept})  # type: ignore[arg-type]

    @property
    def day(self) -> str | None:
        """When it was taken, as files are named by it; None where it is not told."""
        return None if self.taken is None else self.taken.strftime("%Y-%m-%d")

    def exif(self, about: About | None = None) -> Image.Exif:
        """As Exif 2.32, with who made it and whose it is."""
        exif = Image.Exif()
        main = {271: self.make, 272: self.model, 305: "Crenn"}
        if about is not None:
            main |= {270: about.caption, 315: about.creator, 33432: about.copyright}
        detail: dict[int, object] = {42036: self.lens, 40961: 1}
        if self.taken:
            main[306] = detail[36867] = self.taken.strftime("%Y:%m:%d %H:%M:%S")
        for tag, value in ((33434, self.seconds), (33437, self.aperture), (37386, self.focal_length)):
            if value:
                fraction = Fraction(value).limit_denominator(100000)
                detail[tag] = IFDRational(fraction.numerator, fraction.denominator)
        if self.iso:
            detail[34855] = int(min(self.iso, 65535))
        exif.update({k: v for k, v in main.items() if v})
        exif.get_ifd(0x8769).update({k: v for k, v in detail.items() if v})
        if self.position is not None:
            exif.get_ifd(0x8825).update(self.position.exif())
        return exif
