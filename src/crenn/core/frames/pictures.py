"""Reads developed pictures as frames: TIFF, PNG, JPEG and OpenEXR, with a Bayer mosaic sampled from them.

By the mosaic they are aligned, measured and compared as raw frames are; their light comes from all their planes
(`crenn.core.merge.full_colour`). OpenEXR is linear light. The others carry codes whose curve is found from the
bracket itself (`crenn.core.merge.response`).
"""

import contextlib
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import cv2
import exifread
import numpy as np
import OpenEXR
import tifffile
from PIL import Image

from crenn.core.colorimetry.spaces import (
    D65_XY,
    REC2020_CHROMATICITIES,
    XYZ_TO_REC2020,
    rgb_to_xyz_matrix,
)
from crenn.core.colorimetry.white import temperature_of
from crenn.core.errors import UnreadableFrame
from crenn.core.frames.metadata import FrameMetadata
from crenn.core.frames.position import Position
from crenn.core.frames.profiles import Profile, profile_of
from crenn.core.frames.raw import RawFrame
from crenn.core.frames.sizes import check_size
from crenn.core.geometry.orientation import flip_of_exif
from crenn.core.mosaic.bayer import sites

PICTURE_ENDINGS = frozenset([".tif", ".tiff", ".png", ".jpg", ".jpeg", ".exr"])
#: Codes and light are stored with this number at their top.
TOP = 60000
#: Channels that a picture may have; those beyond three are left out.
_MOST_CHANNELS = 8
# Sizes are checked here, against this machine's memory; the library's own limit stands in the way.
Image.MAX_IMAGE_PIXELS = None
_PATTERN = np.array([[0, 1], [1, 2]], np.uint8)


def _number(tag) -> float | None:
    try:
        value = tag.values[0]
        value = value[0] if isinstance(value, tuple) else value
        value = float(value.num) / float(value.den) if hasattr(value, "den") else float(value)
    except (AttributeError, IndexError, TypeError, ValueError, ZeroDivisionError):
        return None
    return value if np.isfinite(value) and value > 0 else None


def _metadata(path: Path, width: int, height: int) -> tuple[FrameMetadata, int]:
    """Metadata from Exif, and the turn."""
    try:
        with open(path, "rb") as file:
            tags = exifread.process_file(file, details=False)
    except Exception:  # a broken Exif block is no reason to refuse the picture
        tags = {}
    taken = None
    with contextlib.suppress(ValueError):
        taken = datetime.strptime(str(tags.get("EXIF DateTimeOriginal", "")), "%Y:%m:%d %H:%M:%S")
    orientation = int(_number(tags.get("Image Orientation")) or 1)
    about = FrameMetadata(
        width=width,
        height=height,
        seconds=_number(tags.get("EXIF ExposureTime")),
        aperture=_number(tags.get("EXIF FNumber")),
        iso=_number(tags.get("EXIF ISOSpeedRatings")) or 100.0,
        taken=taken,
        make=str(tags.get("Image Make", "")).strip(),
        model=str(tags.get("Image Model", "")).strip(),
        lens=str(tags.get("EXIF LensModel", "")).strip(),
        focal_length=_number(tags.get("EXIF FocalLength")),
        noise_profile=None,
        position=Position.of(tags),
    )
    return about, flip_of_exif(orientation)


def _kind(path: Path) -> str:
    return {".tiff": "tif", ".jpeg": "jpg"}.get(path.suffix.lower(), path.suffix.lower()[1:])


def _tiff_size(page: tifffile.TiffPage) -> tuple[int, int]:
    """(H, W) of a page; a `ValueError` if it holds no picture."""
    shape = page.shape if page.planarconfig == 1 or page.ndim == 2 else (*page.shape[-2:], *page.shape[:-2])
    if len(shape) not in (2, 3) or (len(shape) == 3 and shape[2] > _MOST_CHANNELS) or page.dtype is None:
        raise ValueError(f"no picture: {page.shape}")
    return shape[0], shape[1]


def picture_metadata(path: Path) -> FrameMetadata:
    """Metadata of a developed picture, read without decoding it.

    Raises
    ------
    UnreadableFrame
        If the file is missing, foreign or damaged, or its picture too small or too large.
    """
    path = Path(path)
    if not path.is_file():
        raise UnreadableFrame("does not exist.", path, "Check its name.")
    try:
        if path.suffix.lower() == ".exr":
            with OpenEXR.File(str(path), header_only=True) as file:
                header = dict(file.header())
            low, high = header["dataWindow"]
            width, height = (int(high[i] - low[i] + 1) for i in (0, 1))
            check_size(path, "exr", width, height)
            return _exr_metadata(header, width, height)
        if path.suffix.lower() in (".tif", ".tiff"):
            with tifffile.TiffFile(path) as file:
                height, width = _tiff_size(file.pages[0])
        else:
            with Image.open(path) as picture:
                width, height = picture.size
    except UnreadableFrame:
        raise
    except Exception:
        raise UnreadableFrame(
            "is not a picture this program can read, or is damaged.", path, "Export it again."
        ) from None
    check_size(path, _kind(path), width, height)
    return _metadata(path, width, height)[0]


def _exr_metadata(header: dict, width: int, height: int) -> FrameMetadata:
    def value(name):
        v = header.get(name)
        return float(v) if isinstance(v, (int, float)) and v > 0 else None

    return FrameMetadata(
        width=width,
        height=height,
        seconds=value("expTime"),
        aperture=value("aperture"),
        iso=value("isoSpeed") or 100.0,
        taken=None,
        make="",
        model=str(header.get("camera", "")),
        lens="",
        focal_length=value("focalLength"),
        noise_profile=None,
    )


def _decode_exr(path: Path) -> tuple[np.ndarray, np.ndarray]:
    """(pixels, float32 (H, W, 3), matrix to XYZ)."""
    with OpenEXR.File(str(path), separate_channels=True) as file:
        header = dict(file.header())
        channels = file.channels()
        if all(n in channels for n in "RGB"):
            rgb = np.stack([channels[n].pixels.astype(np.float32) for n in "RGB"], -1)
        else:
            y = channels["Y"].pixels.astype(np.float32)
            rgb = np.broadcast_to(y[..., None], (*y.shape, 3))
    p = [float(v) for v in header.get("chromaticities") or (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, *D65_XY)]
    if np.allclose(p, REC2020_CHROMATICITIES, atol=1e-3):
        return rgb, np.linalg.inv(XYZ_TO_REC2020)
    return rgb, rgb_to_xyz_matrix(((p[0], p[1]), (p[2], p[3]), (p[4], p[5])), (p[6], p[7]))


def _decode(path: Path) -> tuple[np.ndarray, str, Profile, list[str]]:
    """(pixels as stored, (H, W, 3), encoding, profile, notes)."""
    if path.suffix.lower() == ".exr":
        pixels, matrix = _decode_exr(path)
        return pixels, "linear", Profile(matrix), []
    profile = None
    if path.suffix.lower() in (".tif", ".tiff"):
        with tifffile.TiffFile(path) as file:
            page = file.pages[0]
            pixels = page.asarray()
            tag = page.tags.get(34675)
            profile = bytes(tag.value) if tag is not None else None
            if page.planarconfig != 1 and pixels.ndim == 3:
                pixels = np.moveaxis(pixels, 0, -1)
    else:
        with Image.open(path) as picture:
            profile = picture.info.get("icc_profile")
            mode = picture.mode
            if path.suffix.lower() != ".png":
                pixels = np.asarray(picture if mode in ("RGB", "L") else picture.convert("RGB"))
        if path.suffix.lower() == ".png":
            # Pillow reads 16-bit colour as 8 bits; but it tells where data breaks off or its sums do not agree.
            with Image.open(path) as picture:
                picture.verify()
            read = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
            if read is None:
                raise ValueError("no PNG")
            pixels = read
            if pixels.ndim == 3:
                pixels = pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]
    notes: list[str] = []
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    if pixels.shape[2] not in (1, 3):
        notes.append("its alpha channel is left out")
    # One channel, with or without alpha, is grey.
    pixels = pixels[..., :3] if pixels.shape[2] >= 3 else np.broadcast_to(pixels[..., :1], (*pixels.shape[:2], 3))
    if pixels.dtype.kind not in "uf":
        raise ValueError(f"no picture of {pixels.dtype} numbers")
    about = profile_of(profile)
    if about.name:
        notes.append(f"its colours are taken by its profile ({about.name})")
    if pixels.dtype.kind == "f":
        return pixels, "linear", about, notes
    encoding = "linear" if about.straight else "unknown" if pixels.dtype == np.uint16 else "display"
    return pixels, encoding, about, notes


def _mosaic(pixels: np.ndarray, top: float) -> np.ndarray:
    """Pixels (H, W, 3) sampled as a Bayer mosaic, uint16, ``top`` at `TOP`; H and W are made even."""
    height, width = (n // 2 * 2 for n in pixels.shape[:2])
    mosaic = np.empty((height, width), np.uint16)
    for c, where in sites(_PATTERN):
        plane = pixels[:height, :width][(*where, c)].astype(np.float32)
        plane = np.nan_to_num(np.maximum(plane, 0), posinf=0.0) * np.float32(TOP / top)
        mosaic[where] = np.minimum(np.rint(plane), TOP)
    return mosaic


def _planes(pixels: np.ndarray, top: float) -> np.ndarray:
    """Pixels (H, W, 3), float32, ``top`` at `TOP`; nothing is below 0, and what is no number is 0."""
    planes = pixels.astype(np.float32) * np.float32(TOP / top)
    return np.maximum(np.nan_to_num(planes, copy=False, nan=0.0, posinf=0.0, neginf=0.0), 0, out=planes)


def _brightest(pixels: np.ndarray) -> float:
    """The highest finite number, at least a little above nothing."""
    rows = (row[np.isfinite(row)].max(initial=0.0) for row in pixels)
    return max(float(max(rows, default=0.0)), 1e-9)


def read_picture(path: Path, name: str | None = None) -> RawFrame:
    """Decode a developed picture into a frame whose mosaic holds codes or linear light, `TOP` at their maximum.

    Raises
    ------
    UnreadableFrame
        If the file is foreign, truncated or damaged.
    """
    path = Path(path)
    shown = name or path.name
    about = picture_metadata(path)
    try:
        pixels, encoding, profile, notes = _decode(path)
    except MemoryError:
        raise
    except Exception:
        raise UnreadableFrame("is damaged: its picture data breaks off.", shown, "Export it again.") from None
    if pixels.dtype.kind == "f":
        top = _brightest(pixels)
    else:
        top = float(pixels.max(initial=1)) if encoding == "linear" else float(np.iinfo(pixels.dtype).max)
    mosaic = _mosaic(pixels, top)
    # A channel shown three times lies in memory once.
    grey = pixels.strides[2] == 0
    height, width = mosaic.shape
    planes = None if grey else _planes(pixels[:height, :width], top)
    flip = 0 if path.suffix.lower() == ".exr" else _metadata(path, 0, 0)[1]
    step = 0.0
    if pixels.dtype.kind != "f":
        step = 1.0 / top
        top /= float(np.iinfo(pixels.dtype).max)
    to_rec2020 = XYZ_TO_REC2020 @ profile.matrix
    # Light is counted in units of the file: the frame's sensitivity takes the scale up.
    if encoding == "linear" and path.suffix.lower() == ".exr" and about.seconds:
        about = replace(about, iso=min(max(about.iso / top, 1e-8), 1e11))
    del pixels
    return RawFrame(
        path,
        replace(about, width=width, height=height),
        mosaic,
        _PATTERN.copy(),
        np.zeros(3, np.float32),
        float(TOP),
        np.ones(3, np.float32),
        (to_rec2020 / to_rec2020.sum(1, keepdims=True)).astype(np.float32),
        temperature_of(*D65_XY),
        None,
        flip,
        shown,
        True,
        encoding,
        tuple(notes),
        grey,
        planes,
        profile.curve,
        True,
        encoding != "linear",
        step,
    )
