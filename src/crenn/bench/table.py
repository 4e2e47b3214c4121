"""Tables of the bench: one a subject, as text or JSON."""

from dataclasses import dataclass, field


@dataclass
class Table:
    """A subject's results: ``rows`` are (name, values in the order of ``columns``)."""

    title: str
    columns: tuple[str, ...]
    rows: list[tuple[str, list]] = field(default_factory=list)
    note: str = ""

    def add(self, name: str, *values) -> None:
        self.rows.append((name, list(values)))

    def text(self) -> str:
        def cell(value) -> str:
            if value is None:
                return "–"
            return f"{value:.3g}" if isinstance(value, float) and abs(value) < 1000 else f"{value}"

        head = ["", *self.columns]
        body = [[name, *map(cell, values)] for name, values in self.rows]
        widths = [max(len(row[i]) for row in [head, *body]) for i in range(len(head))]
        lines = [
            self.title,
            "  ".join(h.ljust(w) if i == 0 else h.rjust(w) for i, (h, w) in enumerate(zip(head, widths))),
        ]
        lines += [
            "  ".join(c.ljust(w) if i == 0 else c.rjust(w) for i, (c, w) in enumerate(zip(row, widths))) for row in body
        ]
        return "\n".join([*lines, self.note] if self.note else lines)

    def record(self) -> dict:
        return {
            "title": self.title,
            "columns": self.columns,
            "note": self.note,
            "rows": [{"name": n, "values": v} for n, v in self.rows],
        }
