"""Reads a frame of any kind by its ending."""

from pathlib import Path

from crenn.core.frames.metadata import RAW_ENDINGS, FrameMetadata, read_metadata
from crenn.core.frames.pictures import PICTURE_ENDINGS, picture_metadata, read_picture
from crenn.core.frames.raw import RawFrame, read_raw

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
    return read_picture(path, name) if path.suffix.lower() in PICTURE_ENDINGS else read_raw(path, name)


def frame_metadata(path: Path) -> FrameMetadata:
    """Metadata of a frame of any kind.

    Raises
    ------
    UnreadableFrame
        If it cannot be read, or its picture is too small or too large.
    """
    path = Path(path)
    return picture_metadata(path) if path.suffix.lower() in PICTURE_ENDINGS else read_metadata(path)
