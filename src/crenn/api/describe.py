"""Writes the API's OpenAPI description, from which the page's types are made: `python -m crenn.api.describe FILE`."""

import json
import sys
from pathlib import Path
from typing import Any, cast

from crenn.api.app import create_app
from crenn.api.context import Settings


def description() -> dict[str, Any]:
    """The API's description; it needs neither database nor library."""
    return create_app(Settings(cast(Any, None), cast(Any, None))).openapi()


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(json.dumps(description(), indent=1) + "\n", "utf-8")
