"""Structured logs: one JSON object a line on stderr, with the request or the job it belongs to."""

import logging
import sys
import time
from contextlib import contextmanager
from contextvars import ContextVar

from pythonjsonlogger.json import JsonFormatter

#: What is being worked on, named in every line that is logged meanwhile.
_ABOUT: ContextVar[dict[str, object] | None] = ContextVar("about", default=None)
#: Libraries that log what is of no use to whoever runs Crenn, or tell by exceptions anyway.
_QUIET = (
    "procrastinate",
    "exifread",
    "tifffile",
    "PIL",
    "alembic",
    "numba",
    "uvicorn.access",
    "websockets",
    "multipart",
)


@contextmanager
def about(**fields: object):
    """Name the request, line or job that all lines logged inside belong to."""
    token = _ABOUT.set((_ABOUT.get() or {}) | fields)
    try:
        yield
    finally:
        _ABOUT.reset(token)


class _Context(logging.Filter):
    def filter(self, record: logging.LogRecord) -> bool:
        for name, value in (_ABOUT.get() or {}).items():
            setattr(record, name, value)
        return True


def log_to_stderr(level: str = "INFO") -> None:
    """Send all logs to stderr as JSON lines.

    Parameters
    ----------
    level : str
        Least level told, as of `logging`.
    """
    handler = logging.StreamHandler(sys.stderr)
    handler.addFilter(_Context())
    formatter = JsonFormatter(
        "%(asctime)s %(levelname)s %(name)s %(message)s",
        datefmt="%Y-%m-%dT%H:%M:%SZ",
        rename_fields={"asctime": "time", "levelname": "level", "name": "from"},
    )
    formatter.converter = time.gmtime
    handler.setFormatter(formatter)
    logging.basicConfig(handlers=[handler], level=level, force=True)
    for name in _QUIET:
        logging.getLogger(name).setLevel(logging.ERROR)
    # What is the matter with a file is told by what it is refused with.
    logging.getLogger("tifffile").setLevel(logging.CRITICAL)


def log_nothing() -> None:
    """Keep libraries from logging: a command's only line on stderr is its own."""
    logging.basicConfig(handlers=[logging.NullHandler()], force=True)
    logging.captureWarnings(True)
