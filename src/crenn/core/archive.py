"""ZIP archives that are made while they are sent: no copy lies on disk, and the first bytes come at once."""

import io
import zipfile
from collections.abc import Iterable, Iterator
from pathlib import Path

_PIECE = 2**20


class _Sent(io.RawIOBase):
    """Takes what is written, until it is fetched; nothing is gone back to."""

    def __init__(self) -> None:
        self._written = bytearray()

    def writable(self) -> bool:
        return True

    def write(self, data) -> int:
        self._written += data
        return len(data)

    def fetched(self) -> bytes:
        out = bytes(self._written)
        self._written.clear()
        return out


def archived(members: Iterable[tuple[str, Path | bytes]]) -> Iterator[bytes]:
    """A ZIP archive, piece by piece.

    Parameters
    ----------
    members : iterable of (str, Path or bytes)
        Names in the archive, and files, which are stored as they are, or bytes, which are packed.

    Yields
    ------
    bytes
    """
    sent = _Sent()
    with zipfile.ZipFile(sent, "w", zipfile.ZIP_STORED) as archive:
        for name, source in members:
            if isinstance(source, bytes):
                archive.writestr(name, source, zipfile.ZIP_DEFLATED)
            else:
                about = zipfile.ZipInfo.from_file(source, name, strict_timestamps=False)
                with open(source, "rb") as file, archive.open(about, "w", force_zip64=True) as entry:
                    while piece := file.read(_PIECE):
                        entry.write(piece)
                        yield sent.fetched()
            yield sent.fetched()
    yield sent.fetched()
