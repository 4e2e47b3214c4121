"""The merged light as a linear DNG (Digital Negative specification 1.4), for raw developers.

Numbers are floating point, so that all stops of a bracket fit. The brightest light is the white level, for many readers
take what is beyond for clipped; the file's baseline exposure puts that right. Levels are those of whole numbers of 16
bits, as readers that know no others cut numbers off; nor are these packed, which few can read.
"""

from collections.abc import Iterable, Iterator
from pathlib import Path

import numpy as np
import tifffile

from crenn.core.colorimetry.spaces import XYZ_TO_REC2020
from crenn.core.deliver.metadata import CaptureMetadata

#: Of DNG: colours of all pixels, none of them to be interpolated; D65 among the EXIF's kinds of light.
_LINEAR_RAW, _D65 = 34892, 21
_BYTE, _ASCII, _RATIONAL, _LONG, _SRATIONAL = 1, 2, 5, 4, 10
_PARTS = 1_000_000
#: Rows of a strip, and white levels of numbers of 32 and 16 bits.
_ROWS = 64
_WHITE, _WHITE_HALF = 65535, 32768


def write_dng(
    path: Path,
    size: tuple[int, int],
    bands: Iterable[np.ndarray],
    brightest: float,
    metadata: CaptureMetadata,
    half: bool = False,
) -> None:
    """Write scene-linear Rec. 2020.

    Parameters
    ----------
    path : Path
    size : tuple of int
        (w, h).
    bands : iterable of ndarray, float32 (rows, w, 3)
        From the top down.
    brightest : float
        Above 0; light beyond it is held.
    metadata : CaptureMetadata
    half : bool
        Whether numbers have 16 bits, of which 11 count, and not 32.
    """
    white = _WHITE_HALF if half else _WHITE
    model = " ".join(t for t in (metadata.make, metadata.model) if t) or "Crenn"
    fractions = [n for v in XYZ_TO_REC2020.ravel() for n in (round(v * _PARTS), _PARTS)]
    tags = [
        (50706, _BYTE, 4, (1, 4, 0, 0), True),
        (50707, _BYTE, 4, (1, 4, 0, 0), True),
        # A name of its own: profiles of the camera are for its mosaic.
        (50708, _ASCII, 0, f"{model}, merged by Crenn".encode("ascii", "replace").decode(), True),
        (50717, _LONG, 3, (white,) * 3, True),
        (50721, _SRATIONAL, 9, fractions, True),
        (50728, _RATIONAL, 3, [1, 1] * 3, True),
        (50730, _SRATIONAL, 1, (round(np.log2(brightest) * _PARTS), _PARTS), True),
        (50778, 3, 1, _D65, True),
    ]
    for tag, text in ((271, metadata.make), (272, metadata.model)):
        if text:
            tags.append((tag, _ASCII, 0, text.encode("ascii", "replace").decode(), True))
    dtype = np.float16 if half else np.float32
    with tifffile.TiffWriter(path) as file:
        file.write(
            _strips(bands, np.float32(white / brightest), white, dtype),
            shape=(size[1], size[0], 3),
            dtype=dtype,
            photometric=_LINEAR_RAW,
            planarconfig="contig",
            rowsperstrip=_ROWS,
            software="Crenn",
            datetime=metadata.taken,
            extratags=tags,
            metadata=None,
        )


def _strips(bands: Iterable[np.ndarray], factor: np.float32, white: int, dtype: type) -> Iterator[np.ndarray]:
    """Bands cut anew into strips of the same rows, 0 to ``white``."""
    waiting: list[np.ndarray] = []
    count = 0
    for band in bands:
        waiting.append(np.clip(band * factor, 0, white).astype(dtype))
        count += len(band)
        if count < _ROWS:
            continue
        whole = np.concatenate(waiting)
        full = count // _ROWS * _ROWS
        yield from (whole[first : first + _ROWS] for first in range(0, full, _ROWS))
        waiting, count = [whole[full:]], count - full
    if count:
        yield np.concatenate(waiting)
