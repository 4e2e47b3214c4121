"""How large a request may be: counted while it arrives, refused before it is parsed."""

from starlette.middleware.body_limit import RequestBodyLimitMiddleware
from starlette.types import ASGIApp, Receive, Scope, Send

from crenn.api.faults import fault_answer

#: Treatments, instructions and all else that is JSON, over HTTP or a socket, in bytes. The largest treatment that is
#: valid (see `crenn.core.treatment.MOST_NUMBERS`) is smaller, as it is sent and as it is told back.
MAX_JSON_BYTES = 12 * 2**20
#: Room for the headers of an upload's parts.
_PARTS = 2**20
UPLOADS = "/api/uploads"


class BodyLimits:
    """Limits bodies by what is sent: uploads of frames to ``uploads`` bytes, all others to `MAX_JSON_BYTES`.

    Starlette's middleware counts; its answer is put into words here.
    """

    def __init__(self, app: ASGIApp, uploads: int):
        self._uploads = uploads
        self._large = RequestBodyLimitMiddleware(app, uploads + _PARTS)
        self._small = RequestBodyLimitMiddleware(app, MAX_JSON_BYTES)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        large = scope["type"] == "http" and scope["path"] == UPLOADS
        limit = self._uploads if large else MAX_JSON_BYTES
        refused = False

        async def worded(message) -> None:
            nonlocal refused
            if message["type"] == "http.response.start" and message["status"] == 413:
                refused = True
                remedy = "Send fewer frames at once, or bring them in from a folder." if large else "Send less."
                size = f"{limit / 2**20:.0f} MiB" if limit >= 2**20 else f"{limit / 1000:.0f} kB"
                await fault_answer(f"This is larger than {size}. {remedy}", 413)(scope, receive, send)
            elif not refused:
                await send(message)

        await (self._large if large else self._small)(scope, receive, worded)
