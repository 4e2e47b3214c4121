"""Mosaics of many frames: in memory while they are few, on disk when they are many."""

import mmap
import shutil
import tempfile
from pathlib import Path

import numpy as np

from crenn.core.errors import CrennError

#: All mosaics together may take this much memory, in bytes; beyond, they wait on disk.
_IN_MEMORY = 700 * 2**20


def fits_in_memory(count: int, mosaic: np.ndarray) -> bool:
    """Whether so many mosaics of this size may stay in memory together."""
    return count * mosaic.nbytes <= _IN_MEMORY


def on_disk(mosaic: np.ndarray) -> np.ndarray:
    """A mosaic, uint16 (H, W), or planes, whose numbers wait on disk until they are looked at; the file goes with it.

    Raises
    ------
    CrennError
        If the disk is full.
    """
    folder = Path(tempfile.gettempdir())
    try:
        with tempfile.NamedTemporaryFile(prefix="crenn-frame-", dir=folder) as file:
            mosaic.tofile(file)
            file.flush()
            # The name is gone when the block ends; the pages live as long as the mapping.
            return np.memmap(file.name, mosaic.dtype, "r+", shape=mosaic.shape)
    except OSError as fault:
        raise CrennError(
            f"cannot hold the frames of this stack: {fault.strerror}.",
            folder,
            "Free some space there, or set TMPDIR to a larger disk.",
        ) from fault


def release_pages(mosaic: np.ndarray) -> None:
    """Give back the memory of a mosaic that waits on disk."""
    if isinstance(mosaic, np.memmap) and mosaic.size:
        mosaic.flush()
        pages = getattr(mosaic, "_mmap", None)
        if isinstance(pages, mmap.mmap):
            pages.madvise(mmap.MADV_DONTNEED)


class Mosaics:
    """A row of mosaics of one size; use it as a context.

    Parameters
    ----------
    count : int
    shape : tuple of int
        (H, W).
    """

    def __init__(self, count: int, shape: tuple[int, int]):
        self.count, self.shape = count, shape
        self._frame = shape[0] * shape[1] * 2
        self._kept: dict[int, np.ndarray] = {}
        self._folder: Path | None = None
        if count * self._frame > _IN_MEMORY:
            self._folder = Path(tempfile.mkdtemp(prefix="crenn-stack-"))

    def __enter__(self) -> "Mosaics":
        return self

    def __exit__(self, *_) -> None:
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
        self._kept.clear()

    def put(self, index: int, mosaic: np.ndarray) -> None:
        """Keep a mosaic, uint16 (H, W).

        Raises
        ------
        CrennError
            If the disk is full.
        """
        if self._folder is None:
            self._kept[index] = np.array(mosaic) if isinstance(mosaic, np.memmap) else mosaic
            return
        try:
            mosaic.tofile(self._folder / str(index))
        except OSError as fault:
            raise CrennError(
                f"cannot hold the frames of this stack: {fault.strerror}.",
                self._folder.parent,
                f"Free {self.count * self._frame / 2**30:.0f} GB, or set TMPDIR to a larger disk.",
            ) from fault

    def get(self, index: int) -> np.ndarray:
        """A mosaic, uint16 (H, W)."""
        if self._folder is None:
            return self._kept[index]
        return np.fromfile(self._folder / str(index), np.uint16).reshape(self.shape)

    def band(self, top: int, bottom: int) -> np.ndarray:
        """Rows of all mosaics, uint16 (K, rows, W)."""
        rows, width = bottom - top, self.shape[1]
        out = np.empty((self.count, rows, width), np.uint16)
        for k in range(self.count):
            if self._folder is None:
                out[k] = self._kept[k][top:bottom]
            else:
                part = np.fromfile(self._folder / str(k), np.uint16, rows * width, offset=top * width * 2)
                out[k] = part.reshape(rows, width)
        return out
