"""Writers of finished pictures: each takes bands of rows and holds no more of them than its format demands."""

import os
import struct
import tempfile
import zlib
from collections.abc import Iterable, Iterator
from functools import lru_cache
from pathlib import Path

import Imath
import numpy as np
import OpenEXR
import tifffile
from PIL import Image, ImageCms

from crenn.core.colorimetry.spaces import REC2020_CHROMATICITIES
from crenn.core.deliver.metadata import CaptureMetadata

Bands = Iterable[np.ndarray]
Size = tuple[int, int]
#: Rows of the noise that hides the steps between 8-bit codes; it repeats below.
_NOISE_ROWS = 64
#: Rows of a tile of a TIFF.
_TILE = 64
_FLAT_JPEG = 30_000_000


def srgb_profile() -> bytes:
    """The ICC profile of sRGB."""
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


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


def write_eight_bits(path: Path, kind: str, size: Size, bands: Bands, quality: int, metadata: CaptureMetadata) -> None:
    """JPEG or AVIF. Both encoders want the whole picture: it waits on disk beside the file, four bytes a pixel."""
    width, height = size
    options = {"quality": quality, "icc_profile": srgb_profile(), "exif": metadata.exif()}
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
            options |= {"subsampling": 0 if quality >= 88 else 2, "optimize": 3 * width * height < _FLAT_JPEG}
        else:
            picture = picture.convert("RGB")
        picture.save(path, kind, **options)


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def write_png(path: Path, size: Size, bands: Bands, grey: bool = False) -> None:
    """PNG of 16 bits (PNG, third edition), rows filtered by what is above them.

    Colours, (rows, w, 3) a band, are sRGB and say so; what is ``grey``, (rows, w) a band, is a mask and no light.
    """
    width, height = size
    packer = zlib.compressobj(4)
    above = np.zeros(width * (2 if grey else 6), np.uint8)
    with open(path, "wb") as file:
        file.write(b"\x89PNG\r\n\x1a\n")
        file.write(_chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 16, 0 if grey else 2, 0, 0, 0)))
        if not grey:
            file.write(_chunk(b"sRGB", b"\0"))
        for band in bands:
            rows = np.ascontiguousarray(band.astype(">u2")).view(np.uint8).reshape(len(band), -1)
            filtered = np.empty((len(band), rows.shape[1] + 1), np.uint8)
            filtered[:, 0] = 2
            filtered[:, 1:] = rows - np.concatenate([above[None], rows[:-1]])
            above = rows[-1].copy()
            if packed := packer.compress(filtered.tobytes()):
                file.write(_chunk(b"IDAT", packed))
        file.write(_chunk(b"IDAT", packer.flush()))
        file.write(_chunk(b"IEND", b""))


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


def write_tiff(path: Path, size: Size, bands: Bands, metadata: CaptureMetadata) -> None:
    """TIFF of 16 bits, in tiles."""
    # TIFF 6.0 knows ASCII alone.
    about = ", ".join(t for t in (metadata.make, metadata.model, metadata.lens) if t)
    about = about.encode("ascii", "replace").decode()
    tifffile.imwrite(
        path,
        _tiles(bands, size[0]),
        shape=(size[1], size[0], 3),
        dtype=np.uint16,
        tile=(_TILE, size[0] + -size[0] % 16),
        photometric="rgb",
        compression="zlib",
        predictor=True,
        iccprofile=srgb_profile(),
        software="Crenn",
        description=about or None,
        datetime=metadata.taken,
        metadata=None,
    )


def write_light(path: Path, size: Size, bands: Bands) -> None:
    """OpenEXR, float, scene-linear Rec. 2020."""
    header = OpenEXR.Header(*size)
    header["compression"] = Imath.Compression(Imath.Compression.NO_COMPRESSION)
    header["channels"] = {name: Imath.Channel(Imath.PixelType(Imath.PixelType.FLOAT)) for name in "RGB"}
    corners = [Imath.chromaticity(*REC2020_CHROMATICITIES[i : i + 2]) for i in range(0, 8, 2)]
    header["chromaticities"] = Imath.Chromaticities(*corners)
    file = OpenEXR.OutputFile(str(path), header)
    try:
        for band in bands:
            channels = {name: np.ascontiguousarray(band[..., i]).tobytes() for i, name in enumerate("RGB")}
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
