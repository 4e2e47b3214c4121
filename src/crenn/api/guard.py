"""Who may ask: hosts, origins, and those who have signed in."""

import asyncio
import hmac
import ipaddress
import math
import time
from collections import OrderedDict
from typing import Any
from urllib.parse import urlsplit

from fastapi import APIRouter, Request
from fastapi.responses import Response
from starlette.requests import HTTPConnection
from starlette.types import ASGIApp, Receive, Scope, Send

from crenn.api.context import Settings
from crenn.api.faults import fault_answer
from crenn.api.logins import LASTS, Logins
from crenn.api.schemas import FaultOut, SessionOut, SignedIn, SignIn
from crenn.api.sharing import SHARED

COOKIE = "crenn-session"
router = APIRouter(prefix="/api", tags=["session"])


class Guard:
    """Refuses requests for other hosts, from other origins, and from those who have not signed in.

    Without this a web page from elsewhere could reach an application on loopback through the user's browser.
    """

    def __init__(self, app: ASGIApp, settings: Settings, logins: Logins):
        self.app, self.settings, self.logins = app, settings, logins

    def _served(self, scope: Scope, host: str) -> bool:
        if host.lower() in self.settings.hosts:
            return True
        # On a machine of several addresses: the one that the connection came in by is its own.
        return self.settings.any_address and _is_own_address(host, scope.get("server"))

    async def _refusal(self, scope: Scope) -> str | None:
        connection = HTTPConnection(scope)
        if not self._served(scope, connection.headers.get("host", "")):
            return "This address is not served here."
        origin = connection.headers.get("origin")
        if origin is not None and not self._served(scope, _netloc(origin)):
            return "Requests from other pages are refused."
        if scope["path"].startswith(f"{SHARED}/"):
            return None if self._of_worker(connection) else "Files are shared with workers alone, who have the token."
        if self.settings.secret and scope["path"].startswith("/api") and scope["path"] != "/api/sign-in":
            given = connection.cookies.get(COOKIE, "")
            holds = self.logins.remembered(given)
            if holds is None:
                holds = await asyncio.to_thread(self.logins.holds, given)
            if not holds:
                return "Sign in first."
        return None

    def _of_worker(self, connection: HTTPConnection) -> bool:
        """Whether somebody has the workers' token (RFC 6750)."""
        token = self.settings.worker_token
        given = connection.headers.get("authorization", "").removeprefix("Bearer ")
        return bool(token) and hmac.compare_digest(given.encode(), (token or "").encode())

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        refusal = await self._refusal(scope)
        if refusal is None:
            await self.app(scope, receive, send)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 4403})
        else:
            kind = "sign-in" if refusal.startswith("Sign") else "fault"
            await fault_answer(refusal, 401 if kind == "sign-in" else 403, kind)(scope, receive, send)


def _netloc(origin: str) -> str:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return ""


def _is_own_address(host: str, server: tuple | list | None) -> bool:
    """Whether ``host``, as of the header, is the very address and port of the connection."""
    if not server or not server[1]:
        return False
    try:
        parts = urlsplit(f"//{host}")
        address, port = ipaddress.ip_address(parts.hostname or ""), parts.port or 80
        own = ipaddress.ip_address(server[0])
    except ValueError:
        return False
    if isinstance(own, ipaddress.IPv6Address) and own.ipv4_mapped:
        own = own.ipv4_mapped
    return (address, port) == (own, server[1])


class LoginThrottle:
    """How long an address must wait after wrong secrets: the pause doubles with each, up to a few seconds.

    Many people may share an address: who knows the secret waits no longer than that, whatever others guess.

    Parameters
    ----------
    first, longest : float
        Seconds after the first wrong secret, and at the most.
    most : int
        Addresses remembered.
    """

    def __init__(self, first: float = 0.5, longest: float = 5.0, most: int = 10_000):
        self._first, self._longest, self._most = first, longest, most
        self._known: OrderedDict[str, tuple[int, float]] = OrderedDict()

    def wait(self, address: str) -> float:
        """Seconds that an address still has to wait."""
        _, until = self._known.get(address, (0, 0.0))
        return max(until - time.monotonic(), 0.0)

    def wrong(self, address: str) -> None:
        """Note a wrong secret."""
        count = self._known.pop(address, (0, 0.0))[0] + 1
        pause = min(self._first * 2.0 ** min(count - 1, 30), self._longest)
        self._known[address] = (count, time.monotonic() + pause)
        while len(self._known) > self._most:
            self._known.popitem(last=False)

    def right(self, address: str) -> None:
        """Forget an address that knew the secret."""
        self._known.pop(address, None)


@router.post("/sign-in", response_model=SignedIn, responses={429: {"model": FaultOut}})
async def sign_in(request: Request, body: SignIn, response: Response) -> Any:
    """Sign in with the secret; sets a cookie with a key of this browser's own."""
    settings, throttle, logins = (getattr(request.app.state, name) for name in ("settings", "throttle", "logins"))
    address = request.client.host if request.client else ""
    wait = throttle.wait(address)
    if wait > 0:
        seconds = math.ceil(wait)
        answer = fault_answer(f"Too many wrong secrets. Try again in {seconds} s.", 429, "sign-in")
        answer.headers["Retry-After"] = str(seconds)
        return answer
    if not settings.secret or not hmac.compare_digest(body.secret.encode(), settings.secret.encode()):
        throttle.wrong(address)
        return fault_answer("This is not the secret.", 401, "sign-in")
    throttle.right(address)
    key = await asyncio.to_thread(logins.begin)
    response.set_cookie(
        COOKIE, key, max_age=LASTS, httponly=True, samesite="strict", secure=request.url.scheme == "https"
    )
    return SignedIn(ok=True)


@router.get("/session")
def session(request: Request) -> SessionOut:
    """Whether a secret is asked for here; who is answered has signed in, or need not."""
    return SessionOut(secret=request.app.state.settings.secret is not None)


@router.post("/sign-out")
def sign_out(request: Request, response: Response) -> SignedIn:
    """Sign out: this browser's key holds no longer."""
    if key := request.cookies.get(COOKIE):
        request.app.state.logins.end(key)
    response.delete_cookie(COOKIE)
    return SignedIn(ok=False)
