"""Writers of finished pictures: each takes bands of rows and holds no more of them than its format demands."""

import os
import struct
import tempfile
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

import Imath
import numpy as np
import OpenEXR
import tifffile
from PIL import Image

from crenn.core.colorimetry.spaces import REC2020_CHROMATICITIES
from crenn.core.deliver.metadata import CaptureMetadata
from crenn.core.deliver.output import Output
from crenn.core.errors import CrennError
from crenn.core.progress import Progress

Bands = Iterable[np.ndarray]
Size = tuple[int, int]
#: Rows of the noise that hides the steps between 8-bit codes; it repeats below.
_NOISE_ROWS = 64
#: Rows of a tile of a TIFF.
_TILE = 64
_FLAT_JPEG = 30_000_000
_MOST_HALF = 65504.0
#: Qualities that are tried for a file's bytes at most: the one wanted, and by halves.
_TRIES = 8


@dataclass(frozen=True)
class Labels:
    """What stands in a file beside its picture.

    Attributes
    ----------
    profile : bytes
        ICC profile of its codes; empty for a mask.
    srgb : bool
        Whether that is sRGB's.
    exif : Image.Exif
    xmp : bytes
    dpi : int or None
    """

    profile: bytes = b""
    srgb: bool = True
    exif: Image.Exif = field(default_factory=Image.Exif)
    xmp: bytes = b""
    dpi: int | None = None


def to_eight_bits(codes: np.ndarray, top: int = 0) -> np.ndarray:
    """Cut 16-bit codes to 8 bits with even noise of half a code, which hides the steps in a smooth sky.

    Parameters
    ----------
    codes : ndarray, uint16 (h, w, 3)
    top : int
        Row of the picture that the first is: the noise belongs to the picture, not to the band.
    """
    out = np.empty(codes.shape, np.uint8)
    noise = _noise(codes.shape[1:])
    # As many rows at once as the noise has: they stay in cache.
    for first in range(0, len(codes), _NOISE_ROWS):
        part = codes[first : first + _NOISE_ROWS]
        values = part + np.roll(noise, -(top + first) % _NOISE_ROWS, 0)[: len(part)]
        values //= 257
        out[first : first + _NOISE_ROWS] = np.clip(values, 0, 255, out=values)
    return out


@lru_cache(maxsize=2)
def _noise(shape: tuple[int, ...]) -> np.ndarray:
    """Half a code of even noise about half a code, int32 (`_NOISE_ROWS`, *shape)."""
    return np.random.default_rng(5).integers(0, 257, (_NOISE_ROWS, *shape), np.int32)


def write_eight_bits(
    path: Path, output: Output, size: Size, bands: Bands, labels: Labels, progress: Progress | None = None
) -> int:
    """JPEG, AVIF or WebP; the quality that it came to.

    Their encoders want the whole picture: it waits on disk beside the file, four bytes a pixel. Where the file may have
    so many bytes at most, the highest quality that keeps within them is found by halves; ``progress`` is told of that.

    Raises
    ------
    CrennError
        If a side is longer than the format can have, or no quality keeps within the bytes.
    """
    width, height = size
    kind, longest = {"jpg": ("JPEG", 65500), "avif": ("AVIF", 65535), "webp": ("WEBP", 16383)}[output.format]
    if max(size) > longest:
        raise CrennError(
            f"A side of {max(size)} px is too long for {kind}, which can have {longest}.",
            remedy="Choose PNG or TIFF, or a smaller size.",
        )
    options: dict[str, Any] = {"icc_profile": labels.profile, "exif": labels.exif}
    if labels.xmp:
        options["xmp"] = labels.xmp
    with tempfile.TemporaryFile(dir=path.parent) as file:
        # All of it is taken at once: a disk that is full is told here, and not by a signal in the middle.
        os.posix_fallocate(file.fileno(), 0, 4 * width * height)
        codes = np.memmap(file, np.uint8, "r+", shape=(height, width, 4))
        top = 0
        for band in bands:
            codes[top : top + len(band), :, :3] = to_eight_bits(band, top)
            top += len(band)
        picture = Image.frombuffer("RGBX", size, codes, "raw", "RGBX", 0, 1)
        if kind == "JPEG":
            options |= {
                "subsampling": 2 if output.halved else 0,
                "progressive": output.progressive,
                "optimize": 3 * width * height < _FLAT_JPEG,
            }
            if labels.dpi:
                options["dpi"] = (labels.dpi, labels.dpi)
        else:
            picture = picture.convert("RGB")
            options |= {"subsampling": "4:2:0" if output.halved else "4:4:4"} if kind == "AVIF" else {"method": 4}
        if output.most_kb is None:
            picture.save(path, kind, quality=output.quality, **options)
            return output.quality
        return _within(path, picture, kind, output, options, progress or Progress())


def _within(
    path: Path, picture: Image.Image, kind: str, output: Output, options: dict[str, Any], progress: Progress
) -> int:
    """Save a picture by the highest quality at which its file is no larger than it may be."""
    most = 1000 * (output.most_kb or 0)
    low, high, best, saved = 1, output.quality, 0, 0
    # Mostly it fits as it is.
    middle, tries = high, 0
    while low <= high:
        progress.at(tries / _TRIES, f"Finding the quality for {output.most_kb} kB")
        picture.save(path, kind, quality=(saved := middle), **options)
        if path.stat().st_size <= most:
            low, best = middle + 1, middle
        else:
            high = middle - 1
        middle, tries = (low + high) // 2, tries + 1
    if best == 0:
        raise CrennError(
            f"Even at the lowest quality the file has more than {output.most_kb} kB;", remedy="choose a smaller size."
        )
    if saved != best:
        picture.save(path, kind, quality=best, **options)
    return best


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def write_png(path: Path, size: Size, bands: Bands, labels: Labels | None, bits: int = 16) -> None:
    """PNG of 8 or 16 bits (PNG, third edition), rows filtered by what is above them.

    Colours are (rows, w, 3) a band; a picture without labels, (rows, w) a band, is a mask and no light.
    """
    width, height = size
    packer = zlib.compressobj(4)
    pixel = (1 if labels is None else 3) * bits // 8
    above = np.zeros(width * pixel, np.uint8)
    top = 0
    with open(path, "wb") as file:
        file.write(b"\x89PNG\r\n\x1a\n")
        file.write(_chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, bits, 0 if labels is None else 2, 0, 0, 0)))
        if labels is not None:
            file.write(_labels_of_png(labels))
        for band in bands:
            codes = band.astype(">u2") if bits == 16 else to_eight_bits(band, top)
            top += len(band)
            rows = np.ascontiguousarray(codes).view(np.uint8).reshape(len(band), -1)
            filtered = np.empty((len(band), rows.shape[1] + 1), np.uint8)
            filtered[:, 0] = 2
            filtered[:, 1:] = rows - np.concatenate([above[None], rows[:-1]])
            above = rows[-1].copy()
            if packed := packer.compress(filtered.tobytes()):
                file.write(_chunk(b"IDAT", packed))
        file.write(_chunk(b"IDAT", packer.flush()))
        file.write(_chunk(b"IEND", b""))


def _labels_of_png(labels: Labels) -> bytes:
    out = _chunk(b"sRGB", b"\0") if labels.srgb else _chunk(b"iCCP", b"ICC\0\0" + zlib.compress(labels.profile))
    if labels.dpi:
        metre = round(labels.dpi / 0.0254)
        out += _chunk(b"pHYs", struct.pack(">IIB", metre, metre, 1))
    exif = labels.exif.tobytes()
    if len(labels.exif):
        out += _chunk(b"eXIf", exif.removeprefix(b"Exif\0\0"))
    if labels.xmp:
        out += _chunk(b"iTXt", b"XML:com.adobe.xmp\0\0\0\0\0" + labels.xmp)
    return out


def _tiles(bands: Bands, width: int) -> Iterator[np.ndarray]:
    """Bands cut anew into tiles as wide as the picture, the width filled up to sixteens."""
    waiting = np.empty((0, width, 3), np.uint16)
    wide = ((0, 0), (0, -width % 16), (0, 0))
    for band in bands:
        waiting = np.concatenate([waiting, band])
        while len(waiting) >= _TILE:
            yield np.pad(waiting[:_TILE], wide)
            waiting = waiting[_TILE:]
    if len(waiting):
        yield np.pad(waiting, ((0, _TILE - len(waiting)), *wide[1:]))


def write_tiff(path: Path, size: Size, bands: Bands, labels: Labels, metadata: CaptureMetadata, bits: int = 16) -> None:
    """TIFF of 8 or 16 bits, packed, in tiles."""
    # TIFF 6.0 knows ASCII alone.
    about = ", ".join(t for t in (metadata.make, metadata.model, metadata.lens) if t)
    about = about.encode("ascii", "replace").decode()
    tiles = _tiles(bands, size[0])
    if bits == 8:
        tiles = (to_eight_bits(tile, _TILE * number) for number, tile in enumerate(tiles))
    tifffile.imwrite(
        path,
        tiles,
        shape=(size[1], size[0], 3),
        dtype=np.uint16 if bits == 16 else np.uint8,
        tile=(_TILE, size[0] + -size[0] % 16),
        photometric="rgb",
        compression="zlib",
        predictor=True,
        iccprofile=labels.profile,
        software="Crenn",
        description=about or None,
        datetime=metadata.taken,
        resolution=(labels.dpi, labels.dpi) if labels.dpi else None,
        resolutionunit="INCH" if labels.dpi else None,
        extratags=[(700, "B", len(labels.xmp), labels.xmp, True)] if labels.xmp else (),
        metadata=None,
    )


def write_light(path: Path, size: Size, bands: Bands, half: bool = False) -> None:
    """OpenEXR, float or half, scene-linear Rec. 2020."""
    kind, dtype = (Imath.PixelType.HALF, np.float16) if half else (Imath.PixelType.FLOAT, np.float32)
    header = OpenEXR.Header(*size)
    header["compression"] = Imath.Compression(Imath.Compression.NO_COMPRESSION)
    header["channels"] = {name: Imath.Channel(Imath.PixelType(kind)) for name in "RGB"}
    corners = [Imath.chromaticity(*REC2020_CHROMATICITIES[i : i + 2]) for i in range(0, 8, 2)]
    header["chromaticities"] = Imath.Chromaticities(*corners)
    file = OpenEXR.OutputFile(str(path), header)
    try:
        for band in bands:
            # The greatest number of 16 bits: beyond it there is infinity alone.
            light = np.clip(band, -_MOST_HALF, _MOST_HALF).astype(dtype) if half else band
            channels = {name: np.ascontiguousarray(light[..., i]).tobytes() for i, name in enumerate("RGB")}
            file.writePixels(channels, len(band))
    finally:
        file.close()
    _state_chromaticities(path)


def _state_chromaticities(path: Path) -> None:
    """Put the chromaticities into the header: the library's writer of bands makes room for them and leaves it empty."""
    name = b"chromaticities\0chromaticities\0"
    with open(path, "rb+") as file:
        at = file.read(4096).index(name) + len(name) + 4
        file.seek(at)
        file.write(struct.pack("<8f", *REC2020_CHROMATICITIES))
