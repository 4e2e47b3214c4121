"""The picture on screen: a WebSocket on which the latest request wins, and one for news."""

import asyncio
import json
import logging
import struct
import time
from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator
from sqlalchemy import func, select
from sqlalchemy.exc import SQLAlchemyError

from crenn.api.faults import validation_words
from crenn.api.schemas import JobOut
from crenn.core.errors import CrennError
from crenn.core.render.executor import Renderer, Window
from crenn.core.render.views import VIEWS, ladder, paint_view, probe
from crenn.core.treatment import parse_treatment
from crenn.store.models import Job, Scene

router = APIRouter()
_log = logging.getLogger(__name__)
#: A view has at most so many pixels.
MAX_PIXELS = 16_000_000
#: Pixels rendered for a picture at rest.
_AT_REST = 3_200_000
#: News is looked for this often, in seconds.
_NEWS_EVERY = 0.25
#: Names of prepared scenes: scene and job, never a path.
PREPARED = r"^\d+-\d+$"


class _Request(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    prepared: str = Field(pattern=PREPARED, max_length=40)
    treatment: dict


class ViewRequest(_Request):
    """One picture wanted: a window in full-size pixels and the size at which to show it."""

    number: int = Field(ge=0, le=2**53)
    view: str = Field("picture", max_length=20)
    x: float
    y: float
    width: float = Field(gt=0)
    height: float = Field(gt=0)
    out_width: int = Field(ge=1, le=8192)
    out_height: int = Field(ge=1, le=8192)
    coarse: bool = False

    @model_validator(mode="after")
    def _not_too_large(self) -> "ViewRequest":
        if self.out_width * self.out_height > MAX_PIXELS:
            raise ValueError(f"more than {MAX_PIXELS / 1e6:.0f} megapixels are too many for one view")
        return self


class ProbeRequest(_Request):
    """What lies under the pointer, in full-size pixels."""

    probe: tuple[float, float]


class Misunderstood(CrennError):
    """A message that is no request; ``number`` is the one it gave itself, if it did."""

    def __init__(self, why: str, number: int | None = None):
        super().__init__(f"This request cannot be understood: {why}")
        self.number = number


def understood(message: Mapping[str, Any]) -> ViewRequest | ProbeRequest:
    """The request in a message of the line.

    Raises
    ------
    Misunderstood
        If there is none: binary, no JSON, no object, or a value that cannot be.
    """
    text = message.get("text")
    if text is None:
        raise Misunderstood("it is no text.")
    try:
        wanted = json.loads(text)
    except (ValueError, RecursionError):
        raise Misunderstood("it is no JSON.") from None
    if not isinstance(wanted, dict):
        raise Misunderstood("it is no JSON object.")
    try:
        return (ProbeRequest if "probe" in wanted else ViewRequest).model_validate(wanted)
    except ValidationError as fault:
        number = wanted.get("number")
        raise Misunderstood(
            validation_words(fault.errors()), number if type(number) is int and 0 <= number <= 2**53 else None
        ) from None


def _picture(renderer: Renderer, wanted: ViewRequest) -> bytes:
    """Header length, header and JPEG of a requested picture."""
    began = time.perf_counter()
    if wanted.view not in VIEWS:
        raise CrennError(f"There is no view “{wanted.view}”.")
    treatment = parse_treatment(wanted.treatment)
    reduction = 2 if wanted.coarse and wanted.out_width * wanted.out_height > 250_000 else 1
    window = Window(
        wanted.x,
        wanted.y,
        wanted.width,
        wanted.height,
        max(wanted.out_width // reduction, 1),
        max(wanted.out_height // reduction, 1),
    )
    if not window.overlaps(renderer.scene.size):
        raise CrennError("This part lies outside the picture.")
    # A picture at rest is rendered larger and averaged, as far as a quarter of a second allows.
    finer = 1 if wanted.coarse else int(np.clip(np.sqrt(_AT_REST / (window.out_width * window.out_height)), 1, 4))
    codes, shares = paint_view(renderer, treatment, window, wanted.view, finer)
    quality = 82 if wanted.coarse else 93
    sampling = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_420 if wanted.coarse else cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444
    _, data = cv2.imencode(
        ".jpg",
        cv2.cvtColor(codes, cv2.COLOR_RGB2BGR),
        [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, sampling],
    )
    header = {
        "number": wanted.number,
        "coarse": wanted.coarse,
        "view": wanted.view,
        "x": wanted.x,
        "y": wanted.y,
        "width": wanted.width,
        "height": wanted.height,
        "limits": shares,
        "ladder": ladder(treatment, renderer.scene),
        "ms": round((time.perf_counter() - began) * 1000, 1),
    }
    text = json.dumps(header).encode()
    return struct.pack("<I", len(text)) + text + data.tobytes()


class _Line:
    """A line to one page: the latest wish of each kind waits, one is worked on."""

    def __init__(self, socket: WebSocket):
        self._socket, self._renderers = socket, socket.app.state.renderers
        self._waiting: dict[type, ViewRequest | ProbeRequest] = {}
        self._arrived = asyncio.Event()

    def wish(self, wanted: ViewRequest | ProbeRequest) -> None:
        """Take a request; it replaces one of its kind that still waits."""
        self._waiting[type(wanted)] = wanted
        self._arrived.set()

    async def fault(self, text: str, number: int | None = None) -> None:
        await self._socket.send_json({"fault": text.encode("utf-8", "replace").decode(), "number": number})

    async def _answer(self, wanted: ViewRequest | ProbeRequest) -> bytes | dict:
        loop = asyncio.get_running_loop()
        renderer = await loop.run_in_executor(None, self._renderers.get, wanted.prepared)
        if isinstance(wanted, ViewRequest):
            return await loop.run_in_executor(self._renderers.thread, _picture, renderer, wanted)
        treatment = parse_treatment(wanted.treatment)
        return {"probe": await loop.run_in_executor(self._renderers.thread, probe, renderer, treatment, *wanted.probe)}

    async def work(self) -> None:
        """Answer wishes until the line ends, whatever they hold."""
        while True:
            await self._arrived.wait()
            self._arrived.clear()
            while self._waiting:
                wanted = self._waiting.pop(ProbeRequest if ProbeRequest in self._waiting else ViewRequest)
                number = getattr(wanted, "number", None)
                try:
                    answer = await self._answer(wanted)
                except CrennError as fault:
                    await self.fault(str(fault), number)
                except Exception as fault:
                    _log.exception("unexpected fault in a view", extra={"prepared": wanted.prepared})
                    await self.fault(
                        f"This view could not be made: {type(fault).__name__}. The log tells more.", number
                    )
                else:
                    await (
                        self._socket.send_bytes(answer) if isinstance(answer, bytes) else self._socket.send_json(answer)
                    )


@router.websocket("/api/view")
async def view(socket: WebSocket) -> None:
    """Send pictures as they are asked for. A request that comes while one is rendered replaces any that waits."""
    await socket.accept()
    line = _Line(socket)
    task = asyncio.create_task(line.work())
    try:
        while (message := await socket.receive())["type"] != "websocket.disconnect":
            try:
                line.wish(understood(message))
            except Misunderstood as fault:
                await line.fault(str(fault), fault.number)
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        task.cancel()


@router.websocket("/api/news")
async def news(socket: WebSocket) -> None:
    """Tell of jobs and scenes as they change, and whether the database answers."""
    await socket.accept()
    settings = socket.app.state.settings
    database = settings.database
    seen_jobs: dict[int, tuple] = {}
    seen_scenes: list[tuple] | None = None
    told: dict[str, Any] = {"database": True, "why": None}

    def look():
        with database.session() as session:
            jobs = session.execute(select(Job).order_by(Job.id.desc()).limit(30)).scalars().all()
            scenes = session.execute(
                select(
                    Scene.id,
                    Scene.revision_id,
                    Scene.prepared,
                    Scene.fault,
                    select(func.count()).select_from(Job).scalar_subquery(),
                ).order_by(Scene.id)
            ).all()
            return [JobOut.model_validate(j) for j in jobs], [tuple(s) for s in scenes]

    try:
        while True:
            try:
                jobs, scenes = await asyncio.to_thread(look)
                state = {"database": True, "why": settings.trouble()}
                changed = [j for j in jobs if seen_jobs.get(j.id) != (j.state, j.share, j.text, j.cancelling)]
                if changed or scenes != seen_scenes:
                    seen_jobs = {j.id: (j.state, j.share, j.text, j.cancelling) for j in jobs}
                    seen_scenes = scenes
                    await socket.send_json(
                        {
                            "jobs": [j.model_dump(mode="json") for j in changed],
                            "scenes": [{"id": s[0], "revision": s[1], "prepared": s[2], "fault": s[3]} for s in scenes],
                        }
                    )
            except SQLAlchemyError:
                state = {"database": False, "why": settings.trouble() or "The database does not answer."}
            if state != told:
                told = state
                await socket.send_json(state)
            try:
                # Waiting for the client's end of the line, so that a closed page is noticed.
                if (await asyncio.wait_for(socket.receive(), _NEWS_EVERY))["type"] == "websocket.disconnect":
                    break
            except TimeoutError:
                pass
    except (WebSocketDisconnect, RuntimeError):
        pass
