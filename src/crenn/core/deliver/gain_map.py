"""JPEG with a gain map (ISO 21496-1:2025): any reader shows the picture, a screen that can shows what is above white.

A second JPEG in the file tells for each channel of each pixel by how much the brighter picture goes beyond the first:
in logarithms, ``log2((bright + k) / (plain + k))``. Both stand in one file as CIPA DC-007 has it.
"""

import struct
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from io import BytesIO
from pathlib import Path
from typing import BinaryIO

import numpy as np
from PIL import Image

_NAME = b"urn:iso:std:iso:ts:21496:-1\0"
#: What keeps logarithms of black in bounds.
_OFFSET = 1 / 64
#: Quality of the map: an error of one of its codes is one of light.
_QUALITY = 98
#: More than one channel; gains are of the first picture's own primaries.
_FLAGS = 0x80 | 0x40
_PARTS = 1_000_000


class GainMap:
    """Gains of a picture (w, h), taken band by band; they wait in a file."""

    def __init__(self, size: tuple[int, int], file: BinaryIO) -> None:
        self.size = size
        self._file = file
        #: The least and the greatest of each channel.
        self.low, self.high = np.zeros(3), np.zeros(3)

    @classmethod
    @contextmanager
    def waiting(cls, size: tuple[int, int], folder: Path) -> Iterator["GainMap"]:
        """One whose gains wait in a folder, as long as it is worked with."""
        with tempfile.TemporaryFile(dir=folder) as file:
            yield cls(size, file)

    def add(self, plain: np.ndarray, bright: np.ndarray) -> None:
        """Take the next rows of both pictures, linear light with white at 1, float32 (rows, w, 3)."""
        offset = np.float32(_OFFSET)
        gains = np.log2((np.maximum(bright, 0) + offset) / (np.maximum(plain, 0) + offset))
        self.low = np.minimum(self.low, gains.min((0, 1)))
        self.high = np.maximum(self.high, gains.max((0, 1)))
        self._file.write(np.asarray(gains, np.float16).tobytes())

    def jpeg(self, whole: tuple[int, int]) -> tuple[bytes, np.ndarray, np.ndarray]:
        """The map as a JPEG, and the gains of its codes 0 and 255, float64 (3,).

        Parameters
        ----------
        whole : tuple of int
            (w, h) of the picture with its border, as wide above as at the sides, which gains nothing.
        """
        width, height = self.size
        # No gain is a code of its own: most of a picture has none.
        step = np.maximum(self.high - self.low, 1e-3) / 253
        low = -np.ceil(-self.low / step) * step
        side = (whole[0] - width) // 2
        codes = np.empty((whole[1], whole[0], 3), np.uint8)
        codes[:] = np.rint(-low / step)
        self._file.seek(0)
        rows = max(_PARTS // width, 1)
        for first in range(0, height, rows):
            count = min(rows, height - first)
            gains = np.frombuffer(self._file.read(count * width * 6), np.float16).reshape(count, width, 3)
            inside = codes[side + first : side + first + count, side : side + width]
            inside[:] = np.clip(np.rint((gains.astype(np.float32) - low) / step), 0, 255)
        out = BytesIO()
        Image.fromarray(codes).save(out, "JPEG", quality=_QUALITY, subsampling=0)
        return out.getvalue(), low, low + 255 * step


def _segment(body: bytes) -> bytes:
    """An APP2 segment of a JPEG."""
    return b"\xff\xe2" + struct.pack(">H", 2 + len(body)) + body


def _fraction(value: float, signed: bool = True) -> bytes:
    return struct.pack(">iI" if signed else ">II", round(value * 1_000_000), 1_000_000)


def _described(low: np.ndarray, high: np.ndarray, stops: float) -> bytes:
    """What a map means (ISO 21496-1:2025, annex C): how far screens reach, in stops above white, and each channel."""
    versions = struct.pack(">HHB", 0, 0, _FLAGS)
    reach = _fraction(0, False) + _fraction(stops, False)
    channels = (_fraction(low[c]) + _fraction(high[c]) + _fraction(1, False) + 2 * _fraction(_OFFSET) for c in range(3))
    return versions + reach + b"".join(channels)


def _with_segments(jpeg: bytes, *segments: bytes) -> tuple[bytes, int]:
    """A JPEG with segments after those that tell of it, and where in it the first of them begins."""
    at = 2
    while jpeg[at] == 0xFF and 0xE0 <= jpeg[at + 1] <= 0xEF:
        at += 2 + struct.unpack_from(">H", jpeg, at + 2)[0]
    return jpeg[:at] + b"".join(segments) + jpeg[at:], at


def _pictures(first: int, second: int, header: int) -> bytes:
    """The index of two pictures of so many bytes (CIPA DC-007, 5.2), whose own TIFF header lies at a byte."""
    entries = struct.pack(">IIIHH", 0x030000, first, 0, 0, 0) + struct.pack(">IIIHH", 0, second, first - header, 0, 0)
    directory = struct.pack(">H", 3)
    directory += struct.pack(">HHI4s", 0xB000, 7, 4, b"0100")
    directory += struct.pack(">HHII", 0xB001, 4, 1, 2)
    directory += struct.pack(">HHII", 0xB002, 7, len(entries), 8 + 2 + 3 * 12 + 4)
    return b"MPF\0" + b"MM\0*" + struct.pack(">I", 8) + directory + struct.pack(">I", 0) + entries


def joined(plain: bytes, gains: tuple[bytes, np.ndarray, np.ndarray], stops: float) -> bytes:
    """One file of a picture and its gain map.

    Parameters
    ----------
    plain : bytes
        JPEG of the picture.
    gains : tuple
        As `GainMap.jpeg` gives them.
    stops : float
        How far above white the brighter picture reaches.
    """
    gain_map, low, high = gains
    second, _ = _with_segments(gain_map, _segment(_NAME + _described(low, high, stops)))
    told = _segment(_NAME + struct.pack(">HH", 0, 0))
    room = _segment(_pictures(0, 0, 0))
    first = len(plain) + len(told) + len(room)
    _, at = _with_segments(plain)
    # The index counts from its own TIFF header: after the segment's mark, its length and its name.
    header = at + len(told) + 4 + 4
    whole, _ = _with_segments(plain, told, _segment(_pictures(first, len(second), header)))
    return whole + second
