"""Writers of JPEG, AVIF and WebP, whose encoders leave something out, and want the whole picture at once."""

import os
import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from PIL import Image

from crenn.core.deliver.avif import with_told
from crenn.core.deliver.gain_map import GainMap, joined
from crenn.core.deliver.hdr import REC2100_PQ
from crenn.core.deliver.output import Output
from crenn.core.deliver.writers import Labels, Size, cut
from crenn.core.errors import CrennError
from crenn.core.progress import Progress

Bands = Iterable[np.ndarray]
#: Formats by their names in the library that writes them, and the longest sides that they can have.
_KINDS = {"jpg": ("JPEG", 65500), "avif": ("AVIF", 65535), "webp": ("WEBP", 16383)}
#: JPEGs of fewer numbers have Huffman tables of their own.
_FLAT_JPEG = 30_000_000
#: Qualities that are tried for a file's bytes at most: the one wanted, and by halves.
_TRIES = 8
#: Bits of codes of absolute light (ITU-R BT.2100-2).
_PQ_BITS = 10
#: How little AVIF's encoder tries, 0 to 10: nearly as good as at 6 (.1 to .3 dB) ten to fifteen
#: times faster, for files that are a fifth to a quarter larger.
_SPEED = 9


def write_lossy(
    path: Path,
    output: Output,
    size: Size,
    bands: Bands,
    labels: Labels,
    progress: Progress,
    gains: GainMap | None = None,
) -> int:
    """JPEG, AVIF or WebP; the quality that it came to.

    The whole picture waits on disk beside the file. Where the file may have so many bytes at most, the highest quality
    that keeps within them is found by halves; ``progress`` is told of that.

    Parameters
    ----------
    path : Path
    output : Output
    size : tuple of int
        (w, h).
    bands : iterable of ndarray, uint16 (rows, w, 3)
    labels : Labels
    progress : Progress
    gains : GainMap, optional
        Of a JPEG; complete once all bands have been taken.

    Raises
    ------
    CrennError
        If a side is longer than the format can have, or no quality keeps within the bytes.
    """
    kind, longest = _KINDS[output.format]
    if max(size) > longest:
        raise CrennError(
            f"A side of {max(size)} px is too long for {kind}, which can have {longest}.",
            remedy="Choose PNG or TIFF, or a smaller size.",
        )
    if output.pq:
        with _waiting(path, size, bands, 3, _PQ_BITS) as codes:
            return _kept(path, _pq_saver(path, output, codes, labels), output, progress)
    with _waiting(path, size, bands, 4, 8) as codes:
        picture = Image.frombuffer("RGBX", size, codes, "raw", "RGBX", 0, 1)
        return _kept(path, _saver(path, kind, output, picture, labels, gains), output, progress)


@contextmanager
def _waiting(path: Path, size: Size, bands: Bands, channels: int, bits: int) -> Iterator[np.ndarray]:
    """All bands on disk, as codes of so many bits, uint8 or uint16 (h, w, channels)."""
    width, height = size
    dtype = np.dtype(np.uint8 if bits <= 8 else np.uint16)
    with tempfile.TemporaryFile(dir=path.parent) as file:
        # All of it is taken at once: a disk that is full is told here, and not by a signal in the middle.
        os.posix_fallocate(file.fileno(), 0, channels * width * height * dtype.itemsize)
        codes = np.memmap(file, dtype, "r+", shape=(height, width, channels))
        top = 0
        for band in bands:
            codes[top : top + len(band), :, :3] = cut(band, bits, top)
            top += len(band)
        yield codes


def _saver(
    path: Path, kind: str, output: Output, picture: Image.Image, labels: Labels, gains: GainMap | None
) -> Callable[[int], None]:
    """Saves a picture of 8 bits by a quality."""
    options: dict[str, Any] = {"icc_profile": labels.profile, "exif": labels.exif}
    if labels.xmp:
        options["xmp"] = labels.xmp
    if kind == "JPEG":
        options |= {
            "subsampling": 2 if output.halved else 0,
            "progressive": output.progressive,
            "optimize": 3 * picture.width * picture.height < _FLAT_JPEG,
        }
        if labels.dpi:
            options["dpi"] = (labels.dpi, labels.dpi)
    else:
        picture = picture.convert("RGB")
        of_avif = {"subsampling": "4:2:0" if output.halved else "4:4:4", "speed": _SPEED}
        options |= of_avif if kind == "AVIF" else {"method": 4}
    beyond = None if gains is None else gains.jpeg(picture.size)

    def save(quality: int) -> None:
        picture.save(path, kind, quality=quality, **options)
        if beyond is not None:
            path.write_bytes(joined(path.read_bytes(), beyond, output.stops or 0.0))

    return save


def _pq_saver(path: Path, output: Output, codes: np.ndarray, labels: Labels) -> Callable[[int], None]:
    """Saves codes of absolute light, uint16 (h, w, 3), as AVIF by a quality."""
    primaries, transfer, matrix = REC2100_PQ
    level = None if labels.level is None else (labels.level.most, labels.level.mean)
    exif = labels.exif.tobytes().removeprefix(b"Exif\0\0") if len(labels.exif) else b""

    def save(quality: int) -> None:
        data = imagecodecs.avif_encode(
            codes,
            level=quality,
            speed=_SPEED,
            bitspersample=_PQ_BITS,
            pixelformat="420" if output.halved else "444",
            primaries=primaries,
            transfer=transfer,
            matrix=matrix,
            numthreads=os.cpu_count() or 1,
        )
        path.write_bytes(with_told(bytes(data), level, exif, labels.xmp))

    return save


def _kept(path: Path, save: Callable[[int], None], output: Output, progress: Progress) -> int:
    """Save a picture by its quality, or the highest at which its file is no larger than it may be."""
    if output.most_kb is None:
        save(output.quality)
        return output.quality
    most = 1000 * output.most_kb
    low, high, best, saved = 1, output.quality, 0, 0
    # Mostly it fits as it is.
    middle, tries = high, 0
    while low <= high:
        progress.at(tries / _TRIES, f"Finding the quality for {output.most_kb} kB")
        save(saved := middle)
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
        save(best)
    return best
