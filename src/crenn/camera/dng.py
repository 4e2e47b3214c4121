"""Writes raw frames as DNG files (Adobe Digital Negative 1.4; TIFF 6.0; Exif 2.32)."""

import io
import struct
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np
from PIL import Image

_BYTE, _ASCII, _SHORT, _LONG, _RATIONAL, _UNDEFINED, _SRATIONAL, _FLOAT, _DOUBLE = 1, 2, 3, 4, 5, 7, 10, 11, 12
_FORMATS = {_BYTE: "B", _SHORT: "H", _LONG: "I", _FLOAT: "f", _DOUBLE: "d"}


@dataclass(frozen=True)
class FrameDescription:
    """Metadata of a frame to write.

    ``xyz_to_camera`` is (3, 3), ``neutral`` the camera's answer to white (3,), ``noise_profile`` the
    pairs (S, O) of ``var(x) = S x + O`` per colour, or None to leave the tag out. ``picture`` is what the camera shows
    itself, sRGB codes, uint8 (h, w, 3), or None. ``xyz_to_camera`` is that under daylight (D65); the
    file may have another for tungsten light, ``under_tungsten``. ``hues`` is a table of hues of its profile, (values,
    hues, saturations, 3), or None.
    """

    seconds: float | None
    aperture: float
    iso: float
    taken: datetime
    black: int
    white: int
    xyz_to_camera: np.ndarray
    neutral: np.ndarray
    pattern: str = "RGGB"
    noise_profile: tuple | None = None
    make: str = "Crenn"
    model: str = "Simulated camera T1"
    lens: str = "Simulated 24 mm f/2.8"
    focal_length: float = 24.0
    orientation: int = 1
    picture: np.ndarray | None = None
    under_tungsten: np.ndarray | None = None
    hues: np.ndarray | None = None


def _rational(value: float, kind: int) -> bytes:
    if value and abs(value) < 1e-3:
        top, bottom = round(value * 4_000_000_000), 4_000_000_000
    else:
        top, bottom = round(value * 1_000_000), 1_000_000
    return struct.pack("<iI" if kind == _SRATIONAL else "<II", top, bottom)


def _encode(kind: int, values) -> tuple[int, bytes]:
    if kind == _ASCII:
        data = values.encode("ascii") + b"\0"
        return len(data), data
    if kind == _UNDEFINED:
        return len(values), bytes(values)
    values = np.atleast_1d(values).ravel().tolist()
    if kind in (_RATIONAL, _SRATIONAL):
        return len(values), b"".join(_rational(v, kind) for v in values)
    return len(values), struct.pack(f"<{len(values)}{_FORMATS[kind]}", *values)


def _directory(entries: list[tuple], offset: int, following: int = 0) -> bytes:
    """One TIFF directory with its values behind it; ``entries`` are (tag, type, values)."""
    entries = sorted(entries, key=lambda entry: entry[0])
    head = struct.pack("<H", len(entries))
    body = b""
    start = offset + 2 + 12 * len(entries) + 4
    for tag, kind, values in entries:
        count, data = _encode(kind, values)
        if len(data) <= 4:
            field = data.ljust(4, b"\0")
        else:
            field = struct.pack("<I", start + len(body))
            body += data + b"\0" * (len(data) % 2)
        head += struct.pack("<HHI", tag, kind, count) + field
    return head + struct.pack("<I", following) + body


def write_dng(path: Path, mosaic: np.ndarray, about: FrameDescription) -> None:
    """Write a Bayer mosaic as an uncompressed DNG.

    Parameters
    ----------
    path : Path
    mosaic : ndarray, uint16 (H, W)
    about : FrameDescription

    Raises
    ------
    ValueError
        If the mosaic is not two-dimensional uint16.
    """
    if mosaic.ndim != 2 or mosaic.dtype != np.uint16:
        raise ValueError(f"{path}: a mosaic is uint16 (H, W), not {mosaic.dtype} {mosaic.shape}")
    height, width = mosaic.shape
    taken = about.taken.strftime("%Y:%m:%d %H:%M:%S")
    exif = [
        (33437, _RATIONAL, about.aperture),
        (34855, _SHORT, int(about.iso)),
        (36864, _UNDEFINED, b"0232"),
        (36867, _ASCII, taken),
        (37521, _ASCII, f"{about.taken.microsecond // 1000:03d}"),
        (37386, _RATIONAL, about.focal_length),
        (42036, _ASCII, about.lens),
    ]
    if about.seconds is not None:
        exif.append((33434, _RATIONAL, about.seconds))
    exif_offset = 8
    exif_bytes = _directory(exif, exif_offset)
    main_offset = exif_offset + len(exif_bytes)
    main = [
        (254, _LONG, 0),
        (256, _LONG, width),
        (257, _LONG, height),
        (258, _SHORT, 16),
        (259, _SHORT, 1),
        (262, _SHORT, 32803),
        (271, _ASCII, about.make),
        (272, _ASCII, about.model),
        (273, _LONG, 0),
        (274, _SHORT, about.orientation),
        (277, _SHORT, 1),
        (278, _LONG, height),
        (279, _LONG, mosaic.nbytes),
        (284, _SHORT, 1),
        (305, _ASCII, "Crenn camera"),
        (306, _ASCII, taken),
        (33421, _SHORT, [round(len(about.pattern) ** 0.5)] * 2),
        (33422, _BYTE, ["RGB".index(c) for c in about.pattern]),
        (34665, _LONG, exif_offset),
        (50706, _BYTE, (1, 4, 0, 0)),
        (50707, _BYTE, (1, 1, 0, 0)),
        (50708, _ASCII, f"{about.make} {about.model}"),
        (50714, _SHORT, about.black),
        (50717, _SHORT, about.white),
        (50721, _SRATIONAL, about.xyz_to_camera),
        (50728, _RATIONAL, about.neutral),
        (50778, _SHORT, 21),
    ]
    if about.under_tungsten is not None:
        main += [(50722, _SRATIONAL, about.under_tungsten), (50779, _SHORT, 17)]
    if about.hues is not None:
        values, hues, saturations, _ = about.hues.shape
        main += [(50937, _LONG, (hues, saturations, values)), (50938, _FLOAT, about.hues)]
    if about.noise_profile is not None:
        main.append((51041, _DOUBLE, about.noise_profile))
    after = main_offset + len(_directory(main, main_offset))
    shown = b"" if about.picture is None else _shown(about.picture, after)
    data_offset = -(-(after + len(shown)) // 16) * 16
    main = [(t, k, data_offset) if t == 273 else (t, k, v) for t, k, v in main]
    with open(path, "wb") as file:
        file.write(struct.pack("<2sHI", b"II", 42, main_offset))
        file.write(exif_bytes)
        file.write(_directory(main, main_offset, after if shown else 0))
        file.write(shown)
        file.write(b"\0" * (data_offset - file.tell()))
        mosaic.astype("<u2", copy=False).tofile(file)


def _shown(picture: np.ndarray, offset: int) -> bytes:
    """A directory of what the camera shows itself, and its JPEG."""
    data = io.BytesIO()
    Image.fromarray(picture).save(data, "JPEG", quality=90)
    entries = [
        (254, _LONG, 1),
        (256, _LONG, picture.shape[1]),
        (257, _LONG, picture.shape[0]),
        (258, _SHORT, (8, 8, 8)),
        (259, _SHORT, 7),
        (262, _SHORT, 6),
        (273, _LONG, 0),
        (277, _SHORT, 3),
        (278, _LONG, picture.shape[0]),
        (279, _LONG, len(data.getvalue())),
    ]
    start = offset + len(_directory(entries, offset))
    entries = [(t, k, start) if t == 273 else (t, k, v) for t, k, v in entries]
    return _directory(entries, offset) + data.getvalue()
