"""The web application: its routers, what stands before them, and the page."""

from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.responses import HTMLResponse, Response
from fastapi.staticfiles import StaticFiles

from crenn.api import (
    areas,
    carrying,
    colour,
    compare,
    deliveries,
    disk,
    guard,
    history,
    lens,
    library,
    light,
    lines,
    mend,
    news,
    noise,
    order,
    presets,
    profiles,
    scenes,
    series,
    sharing,
    steps,
    view,
)
from crenn.api.context import Settings
from crenn.api.faults import RESPONSES, fault_answer, register_error_handlers
from crenn.api.guard import Guard, LoginThrottle
from crenn.api.headers import Headers
from crenn.api.limits import BodyLimits
from crenn.api.logins import Logins
from crenn.api.news import Newsroom
from crenn.api.renderers import Renderers

#: Stands in the page where the nonce of an answer goes.
_NONCE = "crenn-nonce"


def create_app(settings: Settings, web: Path | None = None) -> FastAPI:
    """Build the application.

    Parameters
    ----------
    settings : Settings
    web : Path, optional
        Folder of the built front end.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI):
        yield
        app.state.renderers.close()
        settings.database.close()

    app = FastAPI(
        title="Crenn",
        version="1",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        responses=RESPONSES,
        generate_unique_id_function=lambda route: route.name,
    )
    app.state.settings = settings
    app.state.renderers = Renderers(settings.library)
    app.state.throttle = LoginThrottle()
    app.state.logins = Logins(settings.database)
    app.state.newsroom = Newsroom(settings)
    # The last one added is the first to see a request.
    app.add_middleware(BodyLimits, uploads=settings.max_upload_bytes)
    app.add_middleware(Guard, settings=settings, logins=app.state.logins)
    app.add_middleware(Headers)
    register_error_handlers(app)
    for module in (
        guard,
        library,
        disk,
        order,
        steps,
        scenes,
        lines,
        lens,
        light,
        noise,
        colour,
        areas,
        mend,
        compare,
        history,
        presets,
        carrying,
        profiles,
        deliveries,
        series,
        view,
        news,
        sharing,
    ):
        app.include_router(module.router)

    if web is not None and (web / "index.html").exists():
        app.mount("/assets", StaticFiles(directory=web / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        async def page(request: Request, path: str) -> Response:
            if path == "api" or path.startswith("api/"):
                return fault_answer("There is nothing at this address.", 404)
            text = (web / "index.html").read_text("utf-8").replace(_NONCE, request.state.nonce)
            return HTMLResponse(text, headers={"Cache-Control": "no-store"})

    return app
