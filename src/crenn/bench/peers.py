"""Libraries that results are compared with: the bench alone needs them."""

from functools import cache
from importlib import import_module
from typing import Any

from crenn.core.errors import CrennError


@cache
def library(name: str) -> Any:
    """A module of `requirements-bench.txt`.

    Raises
    ------
    CrennError
        If it is not installed.
    """
    try:
        return import_module(name)
    except ImportError as missing:
        raise CrennError(
            f"This part of the bench needs {name}.", remedy="Install requirements-bench.txt into .venv."
        ) from missing
