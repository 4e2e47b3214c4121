"""Headers that keep the page to itself, and the log of requests."""

import logging
import secrets
import time

from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from crenn.log import about

_log = logging.getLogger("crenn.requests")
#: Own scripts and styles alone; a style sheet made by the page carries the nonce of its answer (CSP level 3).
_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' blob: data:; "
    "font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
_QUIET_METHODS = ("GET", "HEAD")


class Headers:
    """Adds security headers to every answer, gives each request a number, and logs it."""

    def __init__(self, app: ASGIApp):
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        number, nonce = secrets.token_hex(6), secrets.token_urlsafe(16)
        scope.setdefault("state", {})["nonce"] = nonce
        began, status = time.perf_counter(), 0

        async def with_headers(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                headers = MutableHeaders(scope=message)
                headers["Content-Security-Policy"] = _POLICY.format(nonce=nonce)
                headers["X-Content-Type-Options"] = "nosniff"
                headers["Referrer-Policy"] = "no-referrer"
                headers["Cross-Origin-Opener-Policy"] = "same-origin"
                headers["Cross-Origin-Resource-Policy"] = "same-origin"
                headers["X-Request-Id"] = number
            await send(message)

        with about(request=number):
            try:
                await self.app(scope, receive, with_headers)
            finally:
                if scope["type"] == "http":
                    level = logging.DEBUG if scope["method"] in _QUIET_METHODS and status < 500 else logging.INFO
                    _log.log(
                        level,
                        "request",
                        extra={
                            "method": scope["method"],
                            "path": scope["path"],
                            "status": status,
                            "ms": round((time.perf_counter() - began) * 1000, 1),
                        },
                    )
