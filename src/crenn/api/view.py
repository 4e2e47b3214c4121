"""The picture on screen: a WebSocket on which the latest request wins, and one for news."""

import asyncio
import json
import struct
import time

import cv2
import numpy as np
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import func, select
from sqlalchemy.exc import SQLAlchemyError

from crenn.api.schemas import JobOut
from crenn.core.errors import CrennError
from crenn.core.render.executor import Renderer, Window
from crenn.core.render.views import VIEWS, ladder, paint_view, probe
from crenn.core.treatment import parse_treatment
from crenn.store.models import Job, Scene

router = APIRouter()
#: Pixels rendered for a picture at rest.
_AT_REST = 3_200_000
#: News is looked for this often, in seconds.
_NEWS_EVERY = 0.25
#: Names of prepared scenes: scene and job, never a path.
PREPARED = r"^\d+-\d+$"


class ViewRequest(BaseModel):
    """One picture wanted: a window in full-size pixels and the size at which to show it."""

    model_config = ConfigDict(extra="forbid")
    number: int
    prepared: str = Field(pattern=PREPARED)
    treatment: dict
    view: str = "picture"
    x: float
    y: float
    width: float = Field(gt=0)
    height: float = Field(gt=0)
    out_width: int = Field(ge=1, le=8192)
    out_height: int = Field(ge=1, le=8192)
    coarse: bool = False


class ProbeRequest(BaseModel):
    """What lies under the pointer, in full-size pixels."""

    model_config = ConfigDict(extra="forbid")
    prepared: str = Field(pattern=PREPARED)
    treatment: dict
    probe: tuple[float, float]


def _picture(renderer: Renderer, wanted: ViewRequest) -> bytes:
    """Header length, header and JPEG of a requested picture."""
    began = time.perf_counter()
    if wanted.view not in VIEWS:
        raise CrennError(f"There is no view “{wanted.view}”.")
    treatment = parse_treatment(wanted.treatment)
    reduction = 2 if wanted.coarse and wanted.out_width * wanted.out_height > 250_000 else 1
    window = Window(wanted.x, wanted.y, wanted.width, wanted.height, max(wanted.out_width // reduction, 1),
                    max(wanted.out_height // reduction, 1))
    # A picture at rest is rendered larger and averaged, as far as a quarter of a second allows.
    finer = 1 if wanted.coarse else int(np.clip(np.sqrt(_AT_REST / (window.out_width * window.out_height)), 1, 4))
    codes, shares = paint_view(renderer, treatment, window, wanted.view, finer)
    quality = 82 if wanted.coarse else 93
    sampling = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_420 if wanted.coarse else cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444
    _, data = cv2.imencode(".jpg", cv2.cvtColor(codes, cv2.COLOR_RGB2BGR),
                           [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, sampling])
    header = {"number": wanted.number, "coarse": wanted.coarse, "view": wanted.view, "x": wanted.x, "y": wanted.y,
              "width": wanted.width, "height": wanted.height, "limits": shares,
              "ladder": ladder(treatment, renderer.scene), "ms": round((time.perf_counter() - began) * 1000, 1)}
    text = json.dumps(header).encode()
    return struct.pack("<I", len(text)) + text + data.tobytes()


@router.websocket("/api/view")
async def view(socket: WebSocket) -> None:
    """Send pictures as they are asked for. A request that comes while one is rendered replaces any that waits."""
    await socket.accept()
    renderers = socket.app.state.renderers
    loop = asyncio.get_running_loop()
    waiting: dict[str, BaseModel] = {}
    arrived = asyncio.Event()

    async def work() -> None:
        while True:
            await arrived.wait()
            arrived.clear()
            while waiting:
                kind = "probe" if "probe" in waiting else "picture"
                wanted = waiting.pop(kind)
                try:
                    renderer = await loop.run_in_executor(None, renderers.get, wanted.prepared)
                    if kind == "probe":
                        found = await loop.run_in_executor(
                            renderers.thread, probe, renderer, parse_treatment(wanted.treatment), *wanted.probe)
                        await socket.send_json({"probe": found})
                    else:
                        await socket.send_bytes(await loop.run_in_executor(renderers.thread, _picture, renderer, wanted))
                except CrennError as fault:
                    await socket.send_json({"fault": str(fault), "number": getattr(wanted, "number", None)})

    task = asyncio.create_task(work())
    try:
        while True:
            message = await socket.receive_json()
            try:
                if "probe" in message:
                    waiting["probe"] = ProbeRequest.model_validate(message)
                else:
                    waiting["picture"] = ViewRequest.model_validate(message)
                arrived.set()
            except ValidationError as fault:
                await socket.send_json({"fault": f"This request cannot be understood: {fault.errors()[0]['msg']}."})
    except (WebSocketDisconnect, RuntimeError, ValueError):
        pass
    finally:
        task.cancel()


@router.websocket("/api/news")
async def news(socket: WebSocket) -> None:
    """Tell of jobs and scenes as they change, and whether the database answers."""
    await socket.accept()
    database = socket.app.state.settings.database
    seen_jobs, seen_scenes, answered = {}, None, True

    def look():
        with database.session() as session:
            jobs = session.execute(select(Job).order_by(Job.id.desc()).limit(30)).scalars().all()
            scenes = session.execute(select(Scene.id, Scene.revision_id, Scene.prepared, Scene.fault,
                                            select(func.count()).select_from(Job).scalar_subquery())
                                     .order_by(Scene.id)).all()
            return [JobOut.model_validate(j) for j in jobs], [tuple(s) for s in scenes]

    try:
        while True:
            try:
                jobs, scenes = await asyncio.to_thread(look)
                if not answered:
                    answered = True
                    await socket.send_json({"database": True})
                changed = [j for j in jobs if seen_jobs.get(j.id) != (j.state, j.share, j.text, j.cancelling)]
                if changed or scenes != seen_scenes:
                    seen_jobs = {j.id: (j.state, j.share, j.text, j.cancelling) for j in jobs}
                    seen_scenes = scenes
                    await socket.send_json({
                        "jobs": [j.model_dump(mode="json") for j in changed],
                        "scenes": [{"id": s[0], "revision": s[1], "prepared": s[2], "fault": s[3]} for s in scenes]})
            except SQLAlchemyError:
                if answered:
                    answered = False
                    await socket.send_json({"database": False})
            try:
                # Waiting for the client's end of the line, so that a closed page is noticed.
                await asyncio.wait_for(socket.receive_text(), _NEWS_EVERY)
            except TimeoutError:
                pass
    except (WebSocketDisconnect, RuntimeError):
        pass
