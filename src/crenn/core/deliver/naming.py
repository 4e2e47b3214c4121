"""Names of delivered files, from a pattern."""

import re
from collections.abc import Mapping

from crenn.core.errors import CrennError

#: What can stand in a pattern between braces.
FIELDS = ("title", "shoot", "take", "date", "width", "height", "space", "set", "number", "place")
#: Letters that some file system does not take, and bytes that a name may have without its ending.
_FOREIGN, _LONGEST = re.compile(r'[<>:"/\\|?*\x00-\x1f\x7f]'), 200


def named(pattern: str, values: Mapping[str, str | int | None], ending: str) -> str:
    """The name of a file.

    Parameters
    ----------
    pattern : str
        With `FIELDS` between braces: ``{title} {width}``.
    values : mapping
        Of the fields; what is not told is left out.
    ending : str
        Without the point.

    Raises
    ------
    CrennError
        If the pattern names a field that there is none of, or nothing is left of it.
    """
    unknown = [name for name in re.findall(r"\{([^{}]*)\}", pattern) if name not in FIELDS]
    if unknown:
        raise CrennError(
            f"There is no “{{{unknown[0]}}}” for names of files:", remedy="use " + ", ".join(f"{{{f}}}" for f in FIELDS)
        )
    text = re.sub(r"\{([^{}]*)\}", lambda found: str(values.get(found[1]) or ""), pattern)
    text = re.sub(r"\s+", " ", _FOREIGN.sub("-", text)).strip(" .")
    while len(text.encode()) > _LONGEST:
        text = text[:-1]
    if not text:
        raise CrennError("Nothing is left of the file's name;", remedy="let its pattern name the {title}.")
    return f"{text}.{ending}"


def apart(names: list[str]) -> list[str]:
    """Names of which no two are the same, whatever their case: a second one is numbered."""
    out: list[str] = []
    taken: set[str] = set()
    for name in names:
        stem, _, ending = name.rpartition(".")
        other, number = name, 2
        while other.lower() in taken:
            other, number = f"{stem} ({number}).{ending}", number + 1
        taken.add(other.lower())
        out.append(other)
    return out
