"""Imports only go downwards, from layer to layer and from package to package."""

import ast
import unittest
from collections.abc import Iterator
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

from tests.support import ROOT

SOURCE = ROOT / "src" / "crenn"
ALLOWED = {
    "core": {"core"},
    "camera": {"camera", "core"},
    "store": {"store", "core"},
    "jobs": {"jobs", "store", "core", "camera", "log", "memory"},
    "api": {"api", "jobs", "store", "core", "camera", "log", "memory"},
}
FOREIGN = {
    "core": {"fastapi", "sqlalchemy", "procrastinate", "starlette", "uvicorn", "psycopg"},
    "camera": {"fastapi", "sqlalchemy", "procrastinate"},
}


def imported(path: Path) -> Iterator[str]:
    """Dotted names of the modules that a file imports, wherever in it."""
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            yield from (a.name for a in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module


def room(name: str) -> str:
    """The package of the core that a dotted name lies in; modules of its root stand for themselves."""
    return name.split(".")[2]


class Layers(unittest.TestCase):
    def test_layers_import_downwards(self):
        for layer, allowed in ALLOWED.items():
            for path in (SOURCE / layer).rglob("*.py"):
                for name in imported(path):
                    parts = name.split(".")
                    if parts[0] == "crenn" and len(parts) > 1:
                        self.assertIn(parts[1], allowed, f"{path.name} imports {name}")
                    self.assertNotIn(parts[0], FOREIGN.get(layer, ()), f"{path.name} imports {name}")

    def test_packages_of_the_core_have_no_cycles(self):
        graph: dict[str, set[str]] = {}
        for path in (SOURCE / "core").rglob("*.py"):
            own = path.relative_to(SOURCE / "core").parts[0].removesuffix(".py")
            others = {room(n) for n in imported(path) if n.startswith("crenn.core.")}
            graph.setdefault(own, set()).update(others - {own})
        self.assertGreater(len(graph), 15)
        try:
            list(TopologicalSorter(graph).static_order())
        except CycleError as fault:
            self.fail(" → ".join(fault.args[1]))

    def test_every_package_is_described_by_a_file_or_its_modules(self):
        for path in SOURCE.rglob("*.py"):
            tree = ast.parse(path.read_text("utf-8"))
            if tree.body:
                with self.subTest(path=str(path.relative_to(SOURCE))):
                    self.assertTrue(ast.get_docstring(tree) or path.name == "__main__.py")
