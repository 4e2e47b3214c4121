"""News of jobs, scenes and the database, on a WebSocket."""

import asyncio
from datetime import UTC, datetime, timedelta
from typing import Any

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from sqlalchemy import or_, select
from sqlalchemy.exc import SQLAlchemyError

from crenn.api.context import Settings
from crenn.api.schemas import JobOut
from crenn.store.models import Job, Scene, Take

router = APIRouter()
#: News is looked for this often, in seconds.
_NEWS_EVERY = 0.25
#: What was changed so long before what was seen last is looked at once more, in seconds: clocks and commits differ.
_ONCE_MORE = 5.0
#: Jobs that have ended that a page which comes in is told of.
_ENDED = 30


class Newsroom:
    """What is told of jobs and scenes, looked up once for all pages.

    Parameters
    ----------
    settings : Settings
    """

    def __init__(self, settings: Settings):
        self._settings = settings
        self._listeners: set[asyncio.Queue[dict[str, Any]]] = set()
        self._task: asyncio.Task[None] | None = None
        self._forget()

    def _forget(self) -> None:
        self._jobs: dict[int, JobOut] = {}
        self._told: dict[int, tuple] = {}
        self._scenes: list[tuple] = []
        self._since: datetime | None = None
        self._state: dict[str, Any] = {"database": True, "why": None}

    async def listen(self) -> "asyncio.Queue[dict[str, Any]]":
        """A queue of news, which begins with all that is known."""
        queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue()
        if self._task is None or self._task.done():
            self._forget()
            await self._look_and_tell()
            self._task = asyncio.create_task(self._watch())
        queue.put_nowait(self._news(list(self._jobs.values())))
        if not self._state["database"] or self._state["why"]:
            queue.put_nowait(self._state)
        self._listeners.add(queue)
        return queue

    def leave(self, queue: "asyncio.Queue[dict[str, Any]]") -> None:
        """Tell a queue no longer; without any listener nothing is looked up."""
        self._listeners.discard(queue)
        if not self._listeners and self._task is not None:
            self._task.cancel()
            self._task = None

    async def _watch(self) -> None:
        while True:
            await asyncio.sleep(_NEWS_EVERY)
            await self._look_and_tell()

    async def _look_and_tell(self) -> None:
        try:
            jobs, scenes = await asyncio.to_thread(self._look)
            state = {"database": True, "why": self._settings.trouble()}
        except SQLAlchemyError:
            state = {"database": False, "why": self._settings.trouble() or "The database does not answer."}
        else:
            changed = [j for j in jobs if self._told.get(j.id) != (j.state, j.share, j.text, j.cancelling)]
            self._jobs |= {j.id: j for j in changed}
            self._told |= {j.id: (j.state, j.share, j.text, j.cancelling) for j in changed}
            other, self._scenes = scenes != self._scenes, scenes
            self._let_old_jobs_go()
            if changed or other:
                self._tell(self._news(changed))
        if state != self._state:
            self._state = state
            self._tell(state)

    def _tell(self, news: dict[str, Any]) -> None:
        for queue in self._listeners:
            queue.put_nowait(news)

    def _news(self, jobs: list[JobOut]) -> dict[str, Any]:
        return {
            "jobs": [j.model_dump(mode="json") for j in jobs],
            "scenes": [{"id": s[0], "revision": s[1], "prepared": s[2], "fault": s[3]} for s in self._scenes],
        }

    def _let_old_jobs_go(self) -> None:
        ended = sorted(n for n, job in self._jobs.items() if job.state not in ("waiting", "running"))
        for number in ended[:-_ENDED]:
            del self._jobs[number]

    def _look(self) -> tuple[list[JobOut], list[tuple]]:
        """Jobs that were changed since the last look, and all scenes."""
        now = datetime.now(UTC)
        with self._settings.database.session() as session:
            jobs = select(Job).order_by(Job.id)
            if self._since is None:
                newest = select(Job.id).order_by(Job.id.desc()).limit(_ENDED)
                jobs = jobs.where(or_(Job.id.in_(newest), Job.state.in_(("waiting", "running"))))
            else:
                jobs = jobs.where(Job.changed > self._since - timedelta(seconds=_ONCE_MORE))
            found = [JobOut.model_validate(j) for j in session.execute(jobs).scalars()]
            scenes = session.execute(
                select(Scene.id, Take.revision_id, Scene.prepared, Scene.fault)
                .join(Take, Take.id == Scene.take_id)
                .order_by(Scene.id)
            ).all()
        self._since = now
        return found, [tuple(s) for s in scenes]


@router.websocket("/api/news")
async def news(socket: WebSocket) -> None:
    """Tell of jobs and scenes as they change, and whether the database answers."""
    await socket.accept()
    room: Newsroom = socket.app.state.newsroom
    queue = await room.listen()

    async def tell() -> None:
        while True:
            await socket.send_json(await queue.get())

    telling = asyncio.create_task(tell())
    try:
        # Waiting for the client's end of the line, so that a closed page is noticed.
        while (await socket.receive())["type"] != "websocket.disconnect":
            pass
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        telling.cancel()
        room.leave(queue)
