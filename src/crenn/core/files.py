"""Writing files so that a reader sees the old one or the new one, never half of either."""

import errno
import hashlib
import os
import shutil
import tempfile
from contextlib import contextmanager
from pathlib import Path

import cv2
import numpy as np

from crenn.core.errors import CrennError, DiskFull

#: With less than this, in bytes, a disk is full.
_HARDLY_ANY = 2**20


@contextmanager
def replacing(path: Path):
    """Yield a temporary path beside ``path``; synced and renamed over it if the block ends well.

    Raises
    ------
    DiskFull
        If there is no room; the old file stays as it was.
    CrennError
        If the folder is missing or not writable.
    """
    path = Path(path)
    temporary = None
    try:
        handle, name = tempfile.mkstemp(prefix=".part-", suffix=path.suffix, dir=path.parent)
        os.close(handle)
        temporary = Path(name)
        yield temporary
        with open(temporary, "rb+") as file:
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
        temporary = None
    except OSError as fault:
        number = _number_of(fault, path.parent)
        reasons = {
            errno.ENOSPC: ("cannot be written: the disk is full.", "Free some space and try again."),
            errno.ENOENT: ("cannot be written: its folder does not exist.", "Make the folder first."),
            errno.EACCES: ("cannot be written: no permission.", "Choose another folder."),
        }
        text, remedy = reasons.get(number, (f"cannot be written: {fault.strerror or 'unknown fault'}.", ""))
        raise (DiskFull if number == errno.ENOSPC else CrennError)(text, path, remedy) from fault
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def _number_of(fault: OSError, folder: Path) -> int:
    """The number of a fault. Libraries that tell none wrote less than they should have: there is no room."""
    if fault.errno:
        return fault.errno
    try:
        free = shutil.disk_usage(folder).free
    except OSError:
        return 0
    return errno.ENOSPC if free < _HARDLY_ANY or "requested" in str(fault) else 0


@contextmanager
def replacing_folder(folder: Path, cannot: str):
    """Yield an empty folder beside ``folder``, which replaces it if the block ends well; else nothing is left of it.

    Raises
    ------
    CrennError
        If it cannot be written, saying what ``cannot`` be.
    """
    folder = Path(folder)
    part = folder.with_name(folder.name + ".part")
    shutil.rmtree(part, ignore_errors=True)
    try:
        part.mkdir(parents=True)
        yield part
        shutil.rmtree(folder, ignore_errors=True)
        part.rename(folder)
    except OSError as fault:
        full = _number_of(fault, folder.parent) == errno.ENOSPC
        shutil.rmtree(part, ignore_errors=True)
        if full:
            raise DiskFull(f"{cannot}: the disk is full.", folder, "Free some space and try again.") from fault
        raise CrennError(f"{cannot}: {fault.strerror or 'unknown fault'}.", folder) from fault


def as_jpeg(picture: np.ndarray, quality: int, whole_colour: bool = False) -> bytes:
    """SRGB codes, uint8 (h, w, 3), as JPEG of a quality of 1 to 100, with colour at half the size or not.

    Raises
    ------
    CrennError
        If they cannot be encoded.
    """
    sampling = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444 if whole_colour else cv2.IMWRITE_JPEG_SAMPLING_FACTOR_420
    how = [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, sampling]
    ok, data = cv2.imencode(".jpg", cv2.cvtColor(picture, cv2.COLOR_RGB2BGR), how)
    if not ok:
        raise CrennError(f"A picture of {picture.shape[1]} × {picture.shape[0]} px cannot be encoded as JPEG.")
    return data.tobytes()


def write_jpeg(path: Path, picture: np.ndarray, quality: int) -> None:
    """Write sRGB codes, uint8 (h, w, 3), as JPEG of a quality of 1 to 100.

    Raises
    ------
    CrennError
        As `replacing`.
    """
    data = as_jpeg(picture, quality)
    with replacing(path) as temporary:
        temporary.write_bytes(data)


def content_hash(path: Path) -> str:
    """SHA-256 of a file, in hexadecimal."""
    with open(path, "rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
