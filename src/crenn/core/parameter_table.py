"""The table of steps in docs/treatment.md, made from the steps themselves.

``python -m crenn.core.parameter_table docs/treatment.md`` puts the current one into the file.
"""

import re
import sys
from pathlib import Path
from typing import Any

from pydantic.fields import FieldInfo

from crenn.core.pipeline.step import Bend
from crenn.core.treatment import STEPS

_HEAD = "| step | parameter | unit | range | default | areas bend it by | what it does |"
_TABLE = re.compile(re.escape(_HEAD) + r"\n(\|.*\n)*")


def _number(value: float) -> str:
    return f"{value:g}".replace("-", "−")


def _default(value) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if value is None or value == []:
        return "automatic" if value is None else "none"
    if isinstance(value, str):
        return f"`{value}`"
    return ", ".join(map(_number, value)) if isinstance(value, list) else _number(value)


def _bent(bend: Bend) -> str:
    unit = {"add": "added", "factor": "×", "mired": "mired"}[bend.kind]
    return f"{_number(bend.low)} to {_number(bend.high)} {unit}"


def _row(name: str, field: FieldInfo, bend: Bend | None) -> str:
    """The cells of a parameter, or of one of an item of a list."""
    extra: dict[str, Any] = dict(field.json_schema_extra) if isinstance(field.json_schema_extra, dict) else {}
    unit, span = str(extra.get("unit", "")), "see below"
    if "low" in extra:
        span = f"{_number(extra['low'])} to {_number(extra['high'])}"
    elif "names" in extra:
        span = ", ".join(f"`{name}`" for name in extra["names"])
    elif extra.get("kind") == "toggle":
        span = "`true`, `false`"
    default = "" if field.is_required() else _default(field.get_default(call_default_factory=True))
    # Of dials that go by the same name, the group tells which is meant.
    title = ", ".join(str(v) for v in (extra.get("group"), field.title) if v)
    bent = _bent(bend) if bend else ""
    return f"`{name}` | {unit} | {span} | {default} | {bent} | {title}{': ' if title else ''}{field.description}"


def table() -> str:
    """The steps in the order in which they act, as a table in Markdown."""
    lines = [_HEAD, "|---|---|---|---|---|---|---|"]
    for step in STEPS:
        shown = f"`{step.name}`"
        for name, field in step.parameters.model_fields.items():
            if name == "on":
                continue
            lines.append(f"| {shown} | {_row(name, field, step.bend_of(name))} |")
            shown = ""
            model = step.items.get(name)
            for own, of_item in model.model_fields.items() if model else ():
                if own != "on":
                    lines.append(f"|  | {_row(f'{name}.…{own}', of_item, step.bend_of(f'any.{own}'))} |")
    return "\n".join(lines) + "\n"


def with_table(text: str) -> str:
    """The document with the current table in the place of the one it has."""
    return _TABLE.sub(lambda _: table(), text, count=1)


if __name__ == "__main__":
    page = Path(sys.argv[1])
    page.write_text(with_table(page.read_text("utf-8")), "utf-8")
