"""Writers of finished pictures: each takes bands of rows and holds no more of them than its format demands."""

import struct
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

import Imath
import numpy as np
import OpenEXR
import tifffile
from PIL import Image

from crenn.core.colorimetry.spaces import REC2020_CHROMATICITIES
from crenn.core.deliver.hdr import REC2100_PQ, LightLevel
from crenn.core.deliver.metadata import CaptureMetadata

Bands = Iterable[np.ndarray]
Size = tuple[int, int]
#: Rows of the noise that hides the steps between 8-bit codes; it repeats below.
_NOISE_ROWS = 64
#: Rows of a tile of a TIFF.
_TILE = 64
_MOST_HALF = 65504.0


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
    level : LightLevel or None
        Of codes of absolute light (Rec. 2100 PQ), which have no profile; known once all of them went by.
    """

    profile: bytes = b""
    srgb: bool = True
    exif: Image.Exif = field(default_factory=Image.Exif)
    xmp: bytes = b""
    dpi: int | None = None
    level: LightLevel | None = None


def cut(codes: np.ndarray, bits: int, top: int = 0) -> np.ndarray:
    """Cut 16-bit codes to fewer bits with even noise of half a code, which hides the steps in a smooth sky.

    Parameters
    ----------
    codes : ndarray, uint16 (h, w, 3)
    bits : int
        At most 12.
    top : int
        Row of the picture that the first is: the noise belongs to the picture, not to the band.

    Returns
    -------
    ndarray, uint8 or uint16 (h, w, 3)
    """
    most = 2**bits - 1
    out = np.empty(codes.shape, np.uint8 if bits <= 8 else np.uint16)
    noise = _noise(codes.shape[1:])
    # As many rows at once as the noise has: they stay in cache.
    for first in range(0, len(codes), _NOISE_ROWS):
        values = codes[first : first + _NOISE_ROWS] * np.int32(most)
        values += np.roll(noise, -(top + first) % _NOISE_ROWS, 0)[: len(values)]
        values //= 65535
        out[first : first + _NOISE_ROWS] = values
    return out


@lru_cache(maxsize=2)
def _noise(shape: tuple[int, ...]) -> np.ndarray:
    """A code of 16 bits of even noise, int32 (`_NOISE_ROWS`, *shape)."""
    return np.random.default_rng(5).integers(0, 65535, (_NOISE_ROWS, *shape), np.int32)


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
            codes = band.astype(">u2") if bits == 16 else cut(band, 8, top)
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
    if labels.level is not None:
        out = _chunk(b"cICP", bytes(REC2100_PQ[:2]) + b"\0\1")
    elif labels.srgb:
        out = _chunk(b"sRGB", b"\0")
    else:
        out = _chunk(b"iCCP", b"ICC\0\0" + zlib.compress(labels.profile))
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
    waiting: np.ndarray | None = None

    def filled(tile: np.ndarray) -> np.ndarray:
        return np.pad(tile, ((0, _TILE - len(tile)), (0, -width % 16), *((0, 0),) * (tile.ndim - 2)))

    for band in bands:
        waiting = band if waiting is None else np.concatenate([waiting, band])
        while len(waiting) >= _TILE:
            yield filled(waiting[:_TILE])
            waiting = waiting[_TILE:]
    if waiting is not None and len(waiting):
        yield filled(waiting)


def write_tiff(
    path: Path,
    size: Size,
    bands: Bands,
    labels: Labels,
    metadata: CaptureMetadata,
    bits: int = 16,
    pages: Iterable[tuple[str, Bands]] = (),
) -> None:
    """TIFF of 8 or 16 bits, packed, in tiles; ``pages`` follow by their names, grey of 16 bits and of the same size."""
    about = _ascii(", ".join(t for t in (metadata.make, metadata.model, metadata.lens) if t))
    tiles = _tiles(bands, size[0])
    if bits == 8:
        tiles = (cut(tile, 8, _TILE * number) for number, tile in enumerate(tiles))
    how = {"tile": (_TILE, size[0] + -size[0] % 16), "compression": "zlib", "predictor": True, "metadata": None}
    with tifffile.TiffWriter(path) as file:
        file.write(
            tiles,
            shape=(size[1], size[0], 3),
            dtype=np.uint16 if bits == 16 else np.uint8,
            photometric="rgb",
            iccprofile=labels.profile,
            software="Crenn",
            description=about or None,
            datetime=metadata.taken,
            resolution=(labels.dpi, labels.dpi) if labels.dpi else None,
            resolutionunit="INCH" if labels.dpi else None,
            extratags=[(700, "B", len(labels.xmp), labels.xmp, True)] if labels.xmp else (),
            **how,
        )
        for name, page in pages:
            file.write(
                _tiles(page, size[0]),
                shape=(size[1], size[0]),
                dtype=np.uint16,
                photometric="minisblack",
                subfiletype=2,
                extratags=[(285, "s", 0, _ascii(name), True)],
                **how,
            )


def _ascii(text: str) -> str:
    """Text as TIFF 6.0 knows it."""
    return text.encode("ascii", "replace").decode()


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
