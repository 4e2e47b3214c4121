"""The picture on screen: a WebSocket on which the latest request wins."""

import asyncio
import hashlib
import json
import logging
import struct
import time
from collections.abc import Mapping
from typing import Annotated, Any

import cv2
import numpy as np
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from crenn.api.faults import validation_words
from crenn.core.errors import CrennError
from crenn.core.render.ladder import ladder, tones
from crenn.core.render.probe import probe
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import VIEWS, paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import CROP, Treatment, parse_treatment

router = APIRouter()
_log = logging.getLogger(__name__)
#: A view has at most so many pixels.
MAX_PIXELS = 16_000_000
#: While something is dragged pictures have at most so many pixels, or half as many each way if that is more.
_ALL_OF_IT = 250_000
#: Names of prepared scenes: scene and job, never a path.
PREPARED = r"^\d+-\d+$"


#: x, y, width, height in full-size pixels of the picture.
Part = tuple[float, float, Annotated[float, Field(gt=0)], Annotated[float, Field(gt=0)]]


class _Request(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    prepared: str = Field(pattern=PREPARED, max_length=40)
    treatment: dict
    #: All that was recorded, to set the crop in it.
    uncropped: bool = False

    def parsed(self) -> Treatment:
        """The treatment that is shown."""
        treatment = parse_treatment(self.treatment)
        return treatment.uncropped() if self.uncropped else treatment


class ViewRequest(_Request):
    """One picture wanted: a part of it in full-size pixels, and the size at which to show it.

    Without a part it is all of the picture, as large as fits into ``out_width`` by ``out_height``, and at most
    ``most`` times as large as it is. A part that lies beyond the picture, as one asked for before a crop does, is moved
    into it. ``known`` is the map that the page has; a new one is sent if it is another.
    """

    number: int = Field(ge=0, le=2**53)
    view: str = Field("picture", max_length=20)
    part: Part | None = None
    out_width: int = Field(ge=1, le=8192)
    out_height: int = Field(ge=1, le=8192)
    most: float = Field(1.0, gt=0, le=64)
    coarse: bool = False
    known: str = Field("", max_length=80)
    index: int | None = Field(None, ge=0, le=100)
    piece: int | None = Field(None, ge=0, le=100)

    @model_validator(mode="after")
    def _not_too_large(self) -> "ViewRequest":
        if self.out_width * self.out_height > MAX_PIXELS:
            raise ValueError(f"more than {MAX_PIXELS / 1e6:.0f} megapixels are too many for one view")
        return self

    def window(self, size: tuple[int, int]) -> Window:
        """The window of a picture of size (H, W)."""
        if self.part is not None:
            window = Window(*self.part, self.out_width, self.out_height)
            return window if window.overlaps(size) else window.moved_into(size)
        height, width = size
        zoom = min(self.out_width / width, self.out_height / height, self.most)
        return Window(0, 0, width, height, max(round(width * zoom), 1), max(round(height * zoom), 1))


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
    treatment = wanted.parsed()
    frame = renderer.frame(treatment)
    window = wanted.window(frame.size)
    if wanted.coarse and window.pixels > _ALL_OF_IT:
        scale = max((_ALL_OF_IT / window.pixels) ** 0.5, 0.5)
        size = max(round(window.out_width * scale), 1), max(round(window.out_height * scale), 1)
        window = Window(window.x, window.y, window.width, window.height, *size)
    finer = 1 if wanted.coarse else renderer.finer(frame, window)
    codes, shares = paint_view(
        renderer, treatment, window, wanted.view, finer, not wanted.coarse, wanted.index, wanted.piece
    )
    quality = 82 if wanted.coarse else 93
    sampling = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_420 if wanted.coarse else cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444
    _, data = cv2.imencode(
        ".jpg",
        cv2.cvtColor(codes, cv2.COLOR_RGB2BGR),
        [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, sampling],
    )
    known = hashlib.sha256(repr((frame.scene, frame.key)).encode()).hexdigest()[:16]
    header = {
        "number": wanted.number,
        "coarse": wanted.coarse,
        "view": wanted.view,
        "x": window.x,
        "y": window.y,
        "width": window.width,
        "height": window.height,
        "picture": [frame.size[1], frame.size[0]],
        "map": known if known == wanted.known else {"name": known, **frame.meshes()},
        "crop": _crop(renderer, wanted) if wanted.uncropped else None,
        "outline": np.round(frame.outline[:, :-1].reshape(-1, 2), 2).tolist() if wanted.uncropped else None,
        "room": np.round(frame.room, 2).tolist() if wanted.uncropped else None,
        "limits": shares,
        "ladder": ladder(treatment, renderer.scene),
        "tones": tones(treatment, renderer.scene),
        "ms": round((time.perf_counter() - began) * 1000, 1),
    }
    text = json.dumps(header).encode()
    return struct.pack("<I", len(text)) + text + data.tobytes()


def _crop(renderer: Renderer, wanted: ViewRequest) -> tuple[int, int, int, int] | None:
    """The crop as a box of the uncropped picture; None if there is none, or it cannot be."""
    treatment = parse_treatment(wanted.treatment)
    if not treatment.section(CROP).on:
        return None
    frame = renderer.frame(treatment.without("crop"))
    left, top, _, _ = CROP.box(frame, treatment.uncropped().section(CROP))
    try:
        x, y, width, height = CROP.box(frame, treatment.section(CROP))
    except CrennError:
        return None
    return x - left, y - top, width, height


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
        treatment = wanted.parsed()
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
                    await self._follow(wanted)

    async def _follow(self, wanted: ViewRequest | ProbeRequest) -> None:
        """Send a picture once more if noise could be taken out of it in the meantime."""
        if not isinstance(wanted, ViewRequest) or wanted.coarse:
            return
        try:
            if await self._cleaned(wanted) and not self._waiting:
                again = await self._answer(wanted)
                assert isinstance(again, bytes)
                await self._socket.send_bytes(again)
        except Exception:
            # The picture itself has been sent: it stays as it is until the worker has split the noise off.
            _log.exception("noise in view could not be split off", extra={"prepared": wanted.prepared})

    async def _cleaned(self, wanted: ViewRequest) -> bool:
        """Take noise out of what is in view, if that has not been done; whether anything has changed.

        It stops as soon as anything else is wished for.
        """
        loop, thread = asyncio.get_running_loop(), self._renderers.thread
        renderer = self._renderers.get(wanted.prepared)
        treatment = wanted.parsed()
        window = wanted.window(renderer.frame(treatment).size)
        boxes = await loop.run_in_executor(thread, renderer.uncleaned, treatment, window)
        for box in boxes:
            if self._waiting:
                return False
            await loop.run_in_executor(thread, renderer.scene.clean_part, box)
        return bool(boxes)


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
