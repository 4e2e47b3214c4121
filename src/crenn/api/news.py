"""News of jobs, scenes and the database, on a WebSocket."""

import asyncio
from typing import Any

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from sqlalchemy import func, select
from sqlalchemy.exc import SQLAlchemyError

from crenn.api.schemas import JobOut
from crenn.store.models import Job, Scene

router = APIRouter()
#: News is looked for this often, in seconds.
_NEWS_EVERY = 0.25


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
