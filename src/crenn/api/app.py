"""The web application: routers, who may ask, and how faults are told."""

import hmac
import logging
from contextlib import asynccontextmanager
from pathlib import Path
from urllib.parse import urlsplit

from fastapi import FastAPI, Request
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import OperationalError
from starlette.types import ASGIApp, Receive, Scope, Send

from crenn.api import library, scenes, view
from crenn.api.context import Renderers, Settings
from crenn.api.schemas import FaultOut
from crenn.core.errors import CrennError
from crenn.store.treatments import StaleRevision

_COOKIE = "crenn-session"


class Guard:
    """Refuses requests for other hosts, from other origins, and from those who have not signed in.

    Without this a web page from elsewhere could reach an application on loopback through the user's browser.
    """

    def __init__(self, app: ASGIApp, settings: Settings):
        self.app, self.settings = app, settings

    def _refusal(self, scope: Scope) -> str | None:
        headers = {k.decode().lower(): v.decode("latin-1") for k, v in scope["headers"]}
        if headers.get("host", "") not in self.settings.hosts:
            return "This address is not served here."
        origin = headers.get("origin")
        if origin is not None and urlsplit(origin).netloc not in self.settings.hosts:
            return "Requests from other pages are refused."
        if self.settings.secret and scope["path"].startswith("/api") and scope["path"] != "/api/sign-in":
            cookies = dict(part.strip().partition("=")[::2] for part in headers.get("cookie", "").split(";"))
            if not hmac.compare_digest(cookies.get(_COOKIE, ""), self.settings.session_key):
                return "Sign in first."
        return None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        refusal = self._refusal(scope)
        if refusal is None:
            await self.app(scope, receive, send)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 4403})
        else:
            kind = "sign-in" if refusal.startswith("Sign") else "fault"
            await JSONResponse(FaultOut(detail=refusal, kind=kind).model_dump(), 401 if kind == "sign-in" else 403)(
                scope, receive, send)


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
        app.state.renderers.thread.shutdown(cancel_futures=True)
        settings.database.close()

    app = FastAPI(title="Crenn", version="1", lifespan=lifespan, docs_url=None, redoc_url=None,
                  openapi_url="/api/openapi.json", responses={400: {"model": FaultOut}, 409: {"model": FaultOut}},
                  generate_unique_id_function=lambda route: route.name)
    app.state.settings = settings
    app.state.renderers = Renderers(settings.library)
    app.add_middleware(Guard, settings=settings)
    for module in (library, scenes, view):
        app.include_router(module.router)

    def _fault(text: str, status: int, kind: str = "fault") -> JSONResponse:
        return JSONResponse(FaultOut(detail=text, kind=kind).model_dump(), status)

    @app.exception_handler(StaleRevision)
    async def stale(request: Request, fault: StaleRevision) -> Response:
        return _fault(str(fault), 409, "stale")

    @app.exception_handler(CrennError)
    async def told(request: Request, fault: CrennError) -> Response:
        return _fault(str(fault), 400)

    @app.exception_handler(OperationalError)
    async def no_database(request: Request, fault: OperationalError) -> Response:
        return _fault("The database does not answer. Nothing was stored; try again in a moment.", 503, "database")

    @app.exception_handler(Exception)
    async def unexpected(request: Request, fault: Exception) -> Response:
        logging.getLogger("crenn").exception("unexpected fault")
        return _fault(f"An unexpected fault: {type(fault).__name__}. The log tells more.", 500)

    @app.post("/api/sign-in")
    async def sign_in(request: Request) -> Response:
        """Sign in with the secret; sets a session cookie."""
        given = (await request.json()).get("secret", "")
        if not settings.secret or not hmac.compare_digest(str(given).encode(), settings.secret.encode()):
            return _fault("This is not the secret.", 401, "sign-in")
        answer = JSONResponse({"ok": True})
        answer.set_cookie(_COOKIE, settings.session_key, httponly=True, samesite="strict")
        return answer

    if web is not None and (web / "index.html").exists():
        app.mount("/assets", StaticFiles(directory=web / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        async def page(path: str) -> Response:
            if path.startswith("api/"):
                return _fault("There is nothing at this address.", 404)
            return FileResponse(web / "index.html", headers={"Cache-Control": "no-cache"})

    return app
