"""How large a picture may be: tied to the machine's memory, checked from the header before anything is decoded."""

import os
from functools import cache
from pathlib import Path

from crenn.core.errors import UnreadableFrame

#: The smallest side a frame can be merged at, in pixels: the reach of the demosaic.
MIN_SIDE = 16
#: No sensor has more pixels; a file that claims more lies.
_MOST = 400_000_000
#: A merge may take this share of the machine's memory.
_SHARE = 1 / 3
#: Bytes of memory that a pixel takes at the most while a frame is read or merged, by kind of file (docs/bench.md).
_BYTES = {"raw": 64, "tif": 64, "png": 64, "jpg": 64, "exr": 64}


@cache
def machine_memory() -> int:
    """Memory of the machine, or of the container this runs in, in bytes."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    for path in ("/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes"):
        try:
            memory = min(memory, int(Path(path).read_text()))
        except (OSError, ValueError):
            continue
    return memory


def most_pixels(kind: str) -> int:
    """How many pixels a frame may have on this machine; ``kind`` is raw, tif, png, jpg or exr."""
    return min(int(machine_memory() * _SHARE / _BYTES[kind]), _MOST)


def check_size(path: Path, kind: str, width: int, height: int) -> None:
    """Check the size that a file claims.

    Raises
    ------
    UnreadableFrame
        If the picture is too small to be merged, or too large for this machine's memory.
    """
    if min(width, height) < MIN_SIDE:
        raise UnreadableFrame(
            f"is only {width}×{height} pixels;", path, f"a frame needs at least {MIN_SIDE} on each side."
        )
    most = most_pixels(kind)
    if width * height > most:
        raise UnreadableFrame(
            f"claims {width}×{height} pixels, {width * height / 1e6:.0f} megapixels; this machine's "
            f"{machine_memory() / 2**30:.0f} GB of memory are enough for {most / 1e6:.0f}.",
            path,
            "Reduce it, or use a machine with more memory.",
        )
