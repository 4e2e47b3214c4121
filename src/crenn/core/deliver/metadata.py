"""Capture metadata of a finished picture."""

from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction

from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from crenn.core.frames.metadata import FrameMetadata


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
        )

    def exif(self) -> Image.Exif:
        """As Exif 2.32."""
        exif = Image.Exif()
        main = {271: self.make, 272: self.model, 305: "Crenn"}
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
        return exif
