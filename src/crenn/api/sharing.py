"""Files for workers on machines without the shared folder: originals and scenes to them, results from them.

`crenn.api.guard.Guard` lets those ask who have the workers' token.
"""

from pathlib import Path
from tempfile import NamedTemporaryFile
from typing import IO

from fastapi import APIRouter, Depends, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, Response, StreamingResponse

from crenn.api.context import Settings, settings
from crenn.core.errors import CrennError, Missing
from crenn.core.files import replacing
from crenn.store.library import Shared
from crenn.store.sharing import FOLDERS, packed, shared_path, unpacked

#: Where these lie.
SHARED = "/api/shared"
router = APIRouter(prefix=SHARED, tags=["workers"])


@router.get("/{kind}/{name}")
def shared(kind: Shared, name: str, config: Settings = Depends(settings)) -> Response:
    """An original by its hash, or a scene or its noise as an archive."""
    path = shared_path(config.library, kind, name)
    if not path.exists():
        raise Missing("It is no longer in the library.")
    if kind in FOLDERS:
        return StreamingResponse(packed(path), media_type="application/zip")
    return FileResponse(path, filename=path.name)


@router.put("/{kind}/{name}")
async def take(kind: Shared, name: str, request: Request, config: Settings = Depends(settings)) -> None:
    """A result: a scene or its noise as an archive, a small picture, or a delivered file."""
    if kind == "originals":
        raise CrennError("Originals are never written to.")
    path = shared_path(config.library, kind, name)
    if kind not in FOLDERS:
        with replacing(path) as part, open(part, "wb") as file:
            await _received(request, file)
        return
    with NamedTemporaryFile(prefix=".part-", dir=config.library.folder / "incoming") as file:
        await _received(request, file)
        file.flush()
        await run_in_threadpool(unpacked, Path(file.name), path)


async def _received(request: Request, file: IO[bytes]) -> None:
    async for piece in request.stream():
        await run_in_threadpool(file.write, piece)
