"""Reads a frame of any kind by its ending."""

import logging
from pathlib import Path

from crenn.core.errors import CrennError, UnreadableFrame
from crenn.core.frames.metadata import RAW_ENDINGS, FrameMetadata, read_metadata
from crenn.core.frames.pictures import PICTURE_ENDINGS, picture_metadata, read_picture
from crenn.core.frames.raw import RawFrame, read_raw

_log = logging.getLogger(__name__)
#: Endings of all files that can be frames.
FRAME_ENDINGS = RAW_ENDINGS | PICTURE_ENDINGS


def read_frame(path: Path, name: str | None = None) -> RawFrame:
    """Decode a raw file, or a TIFF, PNG, JPEG or OpenEXR picture; ``name`` is what the user calls it.

    Raises
    ------
    UnreadableFrame
        If the file is foreign, truncated or damaged.
    """
    path = Path(path)
    try:
        return read_picture(path, name) if path.suffix.lower() in PICTURE_ENDINGS else read_raw(path, name)
    except CrennError:
        raise
    except MemoryError:
        raise UnreadableFrame(
            "is too large for the memory that is free.", name or path, "Reduce it, or close other programs."
        ) from None
    except Exception as fault:
        # Readers of many makers' structures stumble in ways that nobody can list.
        _log.warning("a frame could not be read", extra={"file": name or path.name}, exc_info=fault)
        raise UnreadableFrame(
            f"cannot be read ({type(fault).__name__}): it is damaged, or of a kind not known yet.",
            name or path,
            "Copy it again from the card.",
        ) from None


def frame_metadata(path: Path) -> FrameMetadata:
    """Metadata of a frame of any kind.

    Raises
    ------
    UnreadableFrame
        If it cannot be read, or its picture is too small or too large.
    """
    path = Path(path)
    return picture_metadata(path) if path.suffix.lower() in PICTURE_ENDINGS else read_metadata(path)
