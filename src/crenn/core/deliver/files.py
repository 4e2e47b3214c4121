"""Writes finished pictures: JPEG, PNG, TIFF, AVIF, and scene-linear OpenEXR."""

import struct
import zlib
from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from typing import Literal

import cv2
import numpy as np
import tifffile
from PIL import Image, ImageCms
from PIL.TiffImagePlugin import IFDRational

from crenn.core.errors import CrennError
from crenn.core.files import replacing
from crenn.core.frames.metadata import FrameMetadata
from crenn.core.progress import Progress
from crenn.core.radiance import write_exr
from crenn.core.render.executor import Renderer, Window
from crenn.core.treatment import Treatment

FORMATS = ("jpg", "png", "tif", "avif", "exr")
#: Rows rendered between two reports of progress.
_BAND = 512


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


def srgb_profile() -> bytes:
    """The ICC profile of sRGB."""
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def _png_with_srgb(data: bytes) -> bytes:
    """Add the sRGB chunk behind the header (PNG, third edition, 11.3.2.5)."""
    end = 8 + 25
    body = b"sRGB\0"
    return data[:end] + struct.pack(">I", 1) + body + struct.pack(">I", zlib.crc32(body)) + data[end:]


def render_codes(renderer: Renderer, treatment: Treatment, size: tuple[int, int], progress: Progress) -> np.ndarray:
    """Render the whole picture at full size, band by band, and reduce it: sRGB codes, uint16 (h, w, 3).

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    size : tuple of int
        (width, height) of the result.
    progress : Progress
        Can cancel between bands.
    """
    height, width = renderer.scene.size
    out = np.empty((height, width, 3), np.uint16)
    for top in range(0, height, _BAND):
        rows = min(_BAND, height - top)
        out[top : top + rows] = renderer.picture(treatment, Window(0, top, width, rows, width, rows), 16)[0]
        progress.at((top + rows) / height, "Rendering")
    return out if size == (width, height) else cv2.resize(out, size, interpolation=cv2.INTER_AREA)


def to_eight_bits(codes: np.ndarray) -> np.ndarray:
    """Cut 16-bit codes to 8 bits with even noise of half a code, which hides the steps in a smooth sky."""
    noise = np.random.default_rng(5).integers(-128, 129, (64, codes.shape[1], codes.shape[2]), np.int32)
    out = np.empty(codes.shape, np.uint8)
    for top in range(0, codes.shape[0], 64):
        part = codes[top : top + 64].astype(np.int32)
        out[top : top + 64] = np.clip((part + 128 + noise[: len(part)]) // 257, 0, 255)
    return out


def deliver(
    renderer: Renderer,
    treatment: Treatment,
    path: Path,
    file_format: Literal["jpg", "png", "tif", "avif", "exr"],
    long_edge: int | None = None,
    quality: int = 92,
    metadata: CaptureMetadata | None = None,
    progress: Progress | None = None,
) -> None:
    """Render a scene and write it to a file.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    path : Path
    file_format : str
        JPEG and AVIF have 8 bits, PNG and TIFF 16, all sRGB; OpenEXR is scene-linear Rec. 2020 before the display
        transform.
    long_edge : int, optional
        Longer side in pixels; full size if None or larger than the picture.
    quality : int
        1 to 100, for JPEG and AVIF.
    metadata : CaptureMetadata, optional
    progress : Progress, optional

    Raises
    ------
    CrennError
        If the format is unknown or the file cannot be written.
    """
    progress, metadata = progress or Progress(), metadata or CaptureMetadata()
    if file_format not in FORMATS:
        raise CrennError(f"“{file_format}” is no format to deliver;", path, "use jpg, png, tif, avif or exr.")
    window = Window.whole(renderer.scene.size, long_edge)
    if file_format == "exr":
        progress.at(0.1, "Rendering")
        light = renderer.linear(treatment, Window.whole(renderer.scene.size))
        if light.shape[:2] != (window.out_height, window.out_width):
            light = cv2.resize(light, (window.out_width, window.out_height), interpolation=cv2.INTER_AREA)
        progress.at(0.6, "Writing")
        write_exr(path, light)
        return
    codes = render_codes(renderer, treatment, (window.out_width, window.out_height), progress.part(0, 0.8))
    progress.at(0.85, "Writing")
    with replacing(path) as temporary:
        if file_format in ("jpg", "avif"):
            options = {"quality": quality, "icc_profile": srgb_profile(), "exif": metadata.exif()}
            if file_format == "jpg":
                options |= {"subsampling": 0 if quality >= 88 else 2, "optimize": codes.size < 30_000_000}
            Image.fromarray(to_eight_bits(codes)).save(temporary, "JPEG" if file_format == "jpg" else "AVIF", **options)
        elif file_format == "png":
            ok, data = cv2.imencode(".png", codes[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 4])
            if not ok:
                raise CrennError("cannot be encoded as PNG.", path)
            temporary.write_bytes(_png_with_srgb(data.tobytes()))
        else:
            # TIFF 6.0 knows ASCII alone.
            about = ", ".join(t for t in (metadata.make, metadata.model, metadata.lens) if t)
            about = about.encode("ascii", "replace").decode()
            tifffile.imwrite(
                temporary,
                codes,
                photometric="rgb",
                compression="zlib",
                predictor=True,
                iccprofile=srgb_profile(),
                software="Crenn",
                description=about or None,
                datetime=metadata.taken,
                metadata=None,
            )
    progress.at(1.0, "Written")
