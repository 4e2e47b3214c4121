"""The table of steps in docs/treatment.md, made from the steps themselves.

``python -m crenn.core.parameter_table docs/treatment.md`` puts the current one into the file.
"""

import re
import sys
from pathlib import Path

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


def table() -> str:
    """The steps in the order in which they act, as a table in Markdown."""
    lines = [_HEAD, "|---|---|---|---|---|---|---|"]
    for step in STEPS:
        shown = f"`{step.name}`"
        for name, field in step.parameters.model_fields.items():
            extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
            if name == "on":
                continue
            unit, span = str(extra.get("unit", "")), "see below"
            if "low" in extra:
                span = f"{_number(float(str(extra['low'])))} to {_number(float(str(extra['high'])))}"
            elif "names" in extra:
                span = ", ".join(f"`{name}`" for name in dict(extra["names"]))
            elif extra.get("kind") == "toggle":
                span = "`true`, `false`"
            bend = step.bend_of(name)
            bent = f"{_bent(bend)}" if bend else ""
            default = _default(field.get_default(call_default_factory=True))
            title = f"{field.title}: " if field.title else ""
            lines.append(f"| {shown} | `{name}` | {unit} | {span} | {default} | {bent} | {title}{field.description} |")
            shown = ""
    return "\n".join(lines) + "\n"


def with_table(text: str) -> str:
    """The document with the current table in the place of the one it has."""
    return _TABLE.sub(lambda _: table(), text, count=1)


if __name__ == "__main__":
    page = Path(sys.argv[1])
    page.write_text(with_table(page.read_text("utf-8")), "utf-8")
