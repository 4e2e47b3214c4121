"""The picture on screen: a WebSocket on which the latest request wins."""

import asyncio
import hashlib
import json
import logging
import struct
import time
from collections.abc import Callable, Coroutine
from dataclasses import dataclass, replace
from enum import Enum
from functools import partial
from typing import Any, TypeVar

import numpy as np
from fastapi import APIRouter, WebSocket, WebSocketDisconnect

from crenn.api.renderers import Renderers
from crenn.api.view_requests import Misunderstood, ProbeRequest, ViewRequest, understood
from crenn.core.changes import UnknownPlace
from crenn.core.colorimetry.profiles import IccProfile
from crenn.core.deliver.proof import device_of
from crenn.core.errors import CrennError
from crenn.core.files import as_jpeg
from crenn.core.noise.cleaning import Box
from crenn.core.render.cache import Stopped
from crenn.core.render.ladder import ladder, tones
from crenn.core.render.probe import probe
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import VIEWS, About, paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import CROP, Treatment, parse_treatment
from crenn.memory import give_back_memory
from crenn.store.database import Database
from crenn.store.profiles import profile_named

router = APIRouter()
_log = logging.getLogger(__name__)
#: While something is dragged pictures have at most so many pixels, or half as many each way if that is more; half of
#: it where so many others wait for theirs, a third where twice as many do.
_ALL_OF_IT, _CROWD = 250_000, 4
#: Seconds without another wish after which a hand that drags has slowed: twice what a screen takes for a picture.
_SLOWED = 0.03
#: Seconds of a thread that renders after which others who wait get their turn.
_TURN = 0.5
#: While an answer is awaited it is told this often how far what takes long is, in seconds.
_TOLD_EVERY = 0.3
#: Seconds after which a profile is read anew: another may have been kept by its name.
_PROFILE_KNOWN = 5.0
R = TypeVar("R")


class LostTrack(CrennError):
    """Changes of a treatment that the line does not have: it must be told the whole."""


class Pace(Enum):
    """How far a picture has come: while something is dragged, once the hand has slowed, and at rest.

    First it has few pixels, then one for each of the screen, then it is rendered larger than it is shown and averaged.
    """

    DRAGGED = 0
    SLOWED = 1
    AT_REST = 2


#: The quality of JPEGs.
_QUALITY = {Pace.DRAGGED: 82, Pace.SLOWED: 88, Pace.AT_REST: 93}


def _picture(
    renderer: Renderer,
    treatment: Treatment,
    wanted: ViewRequest,
    pace: Pace,
    profile: IccProfile | None,
    waiting: int = 0,
) -> bytes:
    """Header length, header and JPEG of a requested picture, proofed for a device if one is named.

    The more others wait for theirs, the fewer pixels it has while something is dragged.
    """
    began = time.perf_counter()
    if wanted.view not in VIEWS:
        raise CrennError(f"There is no view “{wanted.view}”.")
    shown = treatment.uncropped() if wanted.uncropped else treatment
    frame = renderer.frame(shown)
    window = wanted.window(frame.size)
    most = _ALL_OF_IT / (1 + waiting / _CROWD)
    if pace is Pace.DRAGGED and window.pixels > most:
        scale = max((most / window.pixels) ** 0.5, 0.5)
        size = max(round(window.out_width * scale), 1), max(round(window.out_height * scale), 1)
        window = Window(window.x, window.y, window.width, window.height, *size)
    resting = pace is Pace.AT_REST
    finer = renderer.oversampling(frame, window) if resting else 1
    device = device_of(wanted.proof, profile) if wanted.proof is not None and profile is not None else None
    about = About(wanted.area, wanted.piece, wanted.range, wanted.within, wanted.ink, device)
    codes, shares = paint_view(renderer, shown, window, wanted.view, finer, resting, about)
    data = as_jpeg(codes, _QUALITY[pace], whole_colour=pace is not Pace.DRAGGED)
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
        "crop": _crop(renderer, treatment) if wanted.uncropped else None,
        "outline": np.round(frame.outline[:, :-1].reshape(-1, 2), 2).tolist() if wanted.uncropped else None,
        "room": np.round(frame.room, 2).tolist() if wanted.uncropped else None,
        "bins": shares.pop("bins"),
        "limits": shares,
        "ladder": ladder(shown, renderer.scene),
        "tones": tones(shown, renderer.scene),
        "ms": round((time.perf_counter() - began) * 1000, 1),
    }
    text = json.dumps(header, allow_nan=False).encode()
    return struct.pack("<I", len(text)) + text + data


def _clean(box: Box, renderer: Renderer) -> None:
    """Split the noise off a part of the scene, unless nobody waits for it any more."""
    renderer.scene.clean_part(box, renderer.cache.progress)


def _crop(renderer: Renderer, treatment: Treatment) -> tuple[int, int, int, int] | None:
    """The crop as a box of the uncropped picture; None if there is none, or it cannot be."""
    if not treatment.section(CROP).on:
        return None
    frame = renderer.frame(treatment.without("crop"))
    left, top, _, _ = CROP.box(frame, treatment.uncropped().section(CROP))
    try:
        x, y, width, height = CROP.box(frame, treatment.section(CROP))
    except CrennError:
        return None
    return x - left, y - top, width, height


@dataclass(frozen=True)
class _Wish:
    """A request with the treatment that it is about, and how far its picture has come."""

    request: ViewRequest | ProbeRequest
    treatment: Treatment
    pace: Pace = Pace.AT_REST


class _Profiles:
    """Profiles that a line has asked for lately: each is read from the database once for many pictures."""

    def __init__(self, database: Database):
        self._database = database
        self._kept: dict[str, tuple[float, IccProfile]] = {}

    async def named(self, name: str) -> IccProfile:
        """A profile; `Missing` if there is none of that name."""
        found, now = self._kept.get(name), time.monotonic()
        if found is None or now - found[0] > _PROFILE_KNOWN:
            found = now, await asyncio.to_thread(self._read, name)
            self._kept = {name: found}
        return found[1]

    def _read(self, name: str) -> IccProfile:
        with self._database.session() as session:
            return profile_named(session, name)


class Connection:
    """A line to one page: the latest request of each kind waits, one is worked on."""

    def __init__(self, socket: WebSocket):
        self._socket = socket
        self._renderers: Renderers = socket.app.state.renderers
        self._profiles = _Profiles(socket.app.state.settings.database)
        self._treatment: Treatment | None = None
        self._waiting: dict[type, _Wish] = {}
        self._arrived = asyncio.Event()
        self._closed = False

    async def take(self, request: ViewRequest | ProbeRequest) -> None:
        """Take a request; it replaces one of its kind that still waits.

        Raises
        ------
        InvalidTreatment
            If what it says of the treatment cannot be.
        LostTrack
            If it tells changes of a treatment that the line does not have.
        """
        if request.document is not None:
            self._treatment = None
            self._treatment = await asyncio.to_thread(parse_treatment, request.document)
        elif self._treatment is None:
            raise LostTrack("This line knows no treatment.")
        elif request.changes:
            before, self._treatment = self._treatment, None
            try:
                self._treatment = await asyncio.to_thread(before.changed, request.changes)
            except UnknownPlace as fault:
                raise LostTrack(str(fault)) from None
        dragged = isinstance(request, ViewRequest) and request.coarse
        self._waiting[type(request)] = _Wish(request, self._treatment, Pace.DRAGGED if dragged else Pace.AT_REST)
        self._arrived.set()

    async def fault(self, text: str, number: int | None = None, lost: bool = False) -> None:
        """Tell a fault, and whether the page must tell the whole treatment again."""
        await self._socket.send_json(
            {"fault": text.encode("utf-8", "replace").decode(), "number": number, "lost": lost}
        )

    def close(self) -> None:
        """Nobody waits for anything any more."""
        self._closed = True

    def _unwanted(self, wish: _Wish) -> bool:
        """Whether nobody waits for a picture any more: the page is gone, or has asked for another since.

        While something is dragged, each picture that was begun is shown: else none ever would be.
        """
        request = wish.request
        return self._closed or (
            isinstance(request, ViewRequest) and wish.pace is not Pace.DRAGGED and type(request) in self._waiting
        )

    async def _run(self, wish: _Wish, work: Callable[[Renderer], R]) -> R:
        """Have something done on a thread that renders; others get their turn meanwhile.

        What was made by then is kept: the next turn goes on from there, and is twice as long.

        Raises
        ------
        Stopped
            Once nobody waits for it any more.
        """
        turn, prepared = _TURN, wish.request.prepared
        while True:

            def once(turn: float = turn) -> R:
                renderer = self._renderers.get(prepared)
                ends = time.monotonic() + turn

                def stop() -> bool:
                    return self._unwanted(wish) or (self._renderers.waiting > 0 and time.monotonic() > ends)

                def report(share: float, text: str) -> bool:
                    if self._unwanted(wish):
                        raise Stopped
                    return self._renderers.told(prepared, share, text)

                with renderer.cache.stoppable(stop, report):
                    return work(renderer)

            try:
                return await asyncio.wrap_future(self._renderers.submit(prepared, once))
            except Stopped:
                if self._unwanted(wish):
                    raise
                turn *= 2

    async def _answer(self, wish: _Wish) -> bytes | dict:
        request, treatment = wish.request, wish.treatment
        if isinstance(request, ViewRequest):
            profile = None if request.proof is None else await self._profiles.named(request.proof.profile)
            return await self._run(
                wish,
                lambda renderer: _picture(renderer, treatment, request, wish.pace, profile, self._renderers.waiting),
            )
        shown = treatment.uncropped() if request.uncropped else treatment
        place = request.probe
        return await self._run(wish, lambda renderer: {"probe": probe(renderer, shown, *place)})

    async def _meanwhile(self, prepared: str, number: int | None, answer: Coroutine[Any, Any, R]) -> R:
        """An answer; until it comes it is told how far what it waits for is."""
        task, before = asyncio.ensure_future(answer), None
        try:
            while not (await asyncio.wait([task], timeout=_TOLD_EVERY))[0]:
                doing = self._renderers.doing(prepared)
                if doing is not None and doing != before:
                    before = doing
                    await self._socket.send_json({"doing": doing[1], "share": round(doing[0], 3), "number": number})
            return await task
        finally:
            task.cancel()

    async def work(self) -> None:
        """Answer requests until the line ends, whatever they hold."""
        while True:
            await self._arrived.wait()
            self._arrived.clear()
            while self._waiting:
                wish = self._waiting.pop(ProbeRequest if ProbeRequest in self._waiting else ViewRequest)
                number = getattr(wish.request, "number", None)
                try:
                    answer = await self._meanwhile(wish.request.prepared, number, self._answer(wish))
                except Stopped:
                    pass
                except CrennError as fault:
                    await self.fault(str(fault), number)
                except Exception as fault:
                    _log.exception("unexpected fault in a view", extra={"prepared": wish.request.prepared})
                    await self.fault(
                        f"This view could not be made: {type(fault).__name__}. The log tells more.", number
                    )
                else:
                    await (
                        self._socket.send_bytes(answer) if isinstance(answer, bytes) else self._socket.send_json(answer)
                    )
                    await self._follow(wish)

    async def _follow(self, wish: _Wish) -> None:
        """Send a picture once more if the hand has slowed, or noise could be taken out of it in the meantime."""
        if not isinstance(wish.request, ViewRequest):
            return
        try:
            if wish.pace is Pace.DRAGGED:
                wish, better = replace(wish, pace=Pace.SLOWED), await self._slowed()
            else:
                better = await self._cleaned(wish)
            if better and not self._waiting:
                again = await self._answer(wish)
                assert isinstance(again, bytes)
                await self._socket.send_bytes(again)
        except Stopped:
            pass
        except Exception:
            # The picture itself has been sent: it stays as it is until it is asked for again.
            _log.exception("a better picture could not be made", extra={"prepared": wish.request.prepared})

    async def _slowed(self) -> bool:
        """Whether the hand that drags has slowed, and nobody else waits for a picture."""
        if self._waiting:
            return False
        self._arrived.clear()
        try:
            await asyncio.wait_for(self._arrived.wait(), _SLOWED)
        except TimeoutError:
            return not self._renderers.waiting
        return False

    async def _cleaned(self, wish: _Wish) -> bool:
        """Take noise out of what is in view, if that has not been done; whether anything has changed.

        It stops as soon as anything else is asked for.
        """
        request = wish.request
        assert isinstance(request, ViewRequest)
        shown = wish.treatment.uncropped() if request.uncropped else wish.treatment

        def missing(renderer: Renderer) -> list[Box]:
            return renderer.uncleaned(shown, request.window(renderer.frame(shown).size))

        boxes = await self._run(wish, missing)
        for box in boxes:
            if self._waiting or self._closed:
                return False
            await self._run(wish, partial(_clean, box))
        return bool(boxes)


@router.websocket("/api/view")
async def view(socket: WebSocket) -> None:
    """Send pictures as they are asked for. A request that comes while one is rendered replaces any that waits."""
    await socket.accept()
    line = Connection(socket)
    task = asyncio.create_task(line.work())
    try:
        while (message := await socket.receive())["type"] != "websocket.disconnect":
            number = None
            try:
                request = understood(message)
                number = getattr(request, "number", None)
                await line.take(request)
            except Misunderstood as fault:
                await line.fault(str(fault), fault.number)
            except LostTrack as fault:
                await line.fault(str(fault), number, lost=True)
            except CrennError as fault:
                await line.fault(str(fault), number)
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        line.close()
        task.cancel()
        give_back_memory()
