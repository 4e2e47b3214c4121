"""What is made to be downloaded at once, and kept nowhere."""

from collections.abc import Iterable
from pathlib import PurePath
from urllib.parse import quote

from fastapi.responses import Response, StreamingResponse

_TYPES = {".pdf": "application/pdf", ".jpg": "image/jpeg"}


def sent_as(name: str, content: bytes | Iterable[bytes]) -> Response:
    """A download by a name: bytes, or pieces that are sent as they are made."""
    kind = _TYPES.get(PurePath(name).suffix, "application/zip")
    # RFC 6266: any letters, in UTF-8.
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name, safe='')}"}
    if isinstance(content, bytes):
        return Response(content, media_type=kind, headers=headers)
    return StreamingResponse(content, media_type=kind, headers=headers)
