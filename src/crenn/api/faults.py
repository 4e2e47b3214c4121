"""How faults are told: every answer that is not the one asked for is a `FaultOut` in words."""

import errno
import logging

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from psycopg.errors import DiskFull
from sqlalchemy.exc import DBAPIError, InterfaceError, NoResultFound, OperationalError, StatementError
from starlette.exceptions import HTTPException

from crenn.api.schemas import FaultOut
from crenn.core.errors import CrennError, Missing
from crenn.store.treatments import StaleRevision

_log = logging.getLogger(__name__)
#: What every route may answer besides its own.
RESPONSES: dict[int | str, dict] = {status: {"model": FaultOut} for status in (400, 401, 403, 404, 409, 413, 422, 503)}
_WORDS = {
    404: "There is nothing at this address.",
    405: "This address does not take that.",
    413: "This is too large to be sent.",
}


def fault_answer(text: str, status: int, kind: str = "fault") -> JSONResponse:
    """An answer that tells a fault."""
    # What was sent may be repeated in it, with characters that no answer can carry.
    text = text.encode("utf-8", "replace").decode()
    return JSONResponse(FaultOut(detail=text, kind=kind).model_dump(), status)


def validation_words(errors) -> str:
    """The first fault of a request that does not fit its schema, in words; what was sent is not repeated."""
    first = errors[0]
    where = ".".join(str(part) for part in first["loc"] if part not in ("body", "path", "query"))
    return f"{first['msg']}" + (f", at “{where[:80]}”." if where else ".")


def register_error_handlers(app: FastAPI) -> None:
    """Register the handlers."""

    @app.exception_handler(StaleRevision)
    async def stale(request: Request, fault: StaleRevision) -> Response:
        return fault_answer(str(fault), 409, "stale")

    @app.exception_handler(Missing)
    async def missing(request: Request, fault: Missing) -> Response:
        return fault_answer(str(fault), 404)

    @app.exception_handler(CrennError)
    async def told(request: Request, fault: CrennError) -> Response:
        return fault_answer(str(fault), 400)

    @app.exception_handler(RequestValidationError)
    async def not_understood(request: Request, fault: RequestValidationError) -> Response:
        return fault_answer(f"This cannot be understood: {validation_words(fault.errors())}", 422)

    @app.exception_handler(HTTPException)
    async def by_status(request: Request, fault: HTTPException) -> Response:
        text = _WORDS.get(fault.status_code, str(fault.detail))
        if isinstance(fault.__cause__, OSError) and fault.__cause__.errno == errno.ENOSPC:
            text = (
                "There is no room for this upload: the disk for temporary files is full. Free some and send it again."
            )
        answer = fault_answer(text, fault.status_code)
        answer.headers.update(fault.headers or {})
        return answer

    @app.exception_handler(NoResultFound)
    async def gone(request: Request, fault: NoResultFound) -> Response:
        return fault_answer("This is no longer in the library.", 404)

    @app.exception_handler(StatementError)
    async def refused(request: Request, fault: StatementError) -> Response:
        """The database is away, or refuses what it was given."""
        if isinstance(fault, (OperationalError, InterfaceError)) or (
            isinstance(fault, DBAPIError) and fault.connection_invalidated
        ):
            full = isinstance(fault.orig, DiskFull)
            why = request.app.state.settings.trouble() or (
                "The disk of the library is full." if full else "The database does not answer."
            )
            _log.warning("the database does not answer", extra={"fault": type(fault.orig or fault).__name__})
            return fault_answer(f"{why} Nothing was stored; try again in a moment.", 503, "database")
        _log.warning("the database refuses a value", extra={"fault": type(fault.orig or fault).__name__})
        return fault_answer(
            "A value cannot be stored: it is too large, or holds characters that text must not hold.", 422
        )

    @app.exception_handler(Exception)
    async def unexpected(request: Request, fault: Exception) -> Response:
        _log.error("unexpected fault in a request", exc_info=fault)
        return fault_answer(f"An unexpected fault: {type(fault).__name__}. The log tells more.", 500)
