"""What the documents say is so: examples are valid, tables current, links and paths lead somewhere."""

import json
import re
import unittest

from crenn.cli import parser as command_line
from crenn.core.merge.instructions import Instructions
from crenn.core.parameter_table import with_table
from crenn.core.treatment import parse_treatment
from tests.support import ROOT

PAGES = [*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")]


def example(page: str) -> dict:
    found = re.search(r"```json\n(.*?)```", (ROOT / "docs" / page).read_text("utf-8"), re.S)
    assert found, f"{page} has no example"
    return json.loads(found[1])


class Documents(unittest.TestCase):
    def test_examples_are_valid(self):
        self.assertEqual(parse_treatment(example("treatment.md")).exposure.ev, 0.5)
        self.assertEqual(Instructions.model_validate(example("merge.md")).seconds, {"IMG_0007.jpg": 0.25})

    def test_every_instruction_is_explained(self):
        text = (ROOT / "docs" / "merge.md").read_text("utf-8")
        for name in set(Instructions.model_fields) - {"version"}:
            self.assertIn(f"| `{name}` |", text)

    def test_the_table_of_parameters_is_current(self):
        text = (ROOT / "docs" / "treatment.md").read_text("utf-8")
        self.assertEqual(with_table(text), text, "docs/steps.md tells how to make it anew")

    def test_links_and_paths_lead_somewhere(self):
        for page in PAGES:
            text = page.read_text("utf-8")
            for target in re.findall(r"\]\(([^)#:]+)\)", text):
                self.assertTrue((page.parent / target).exists(), f"{page.name} links to {target}")
            for path in re.findall(r"`((?:src|tests|web|docs|core)/[\w./-]+\.(?:py|ts|tsx|md|txt))`", text):
                folder = ROOT / "src" / "crenn" if path.startswith("core/") else ROOT
                self.assertTrue((folder / path).exists(), f"{page.name} names {path}")

    def test_the_readme_has_every_command_and_option(self):
        text = (ROOT / "README.md").read_text("utf-8") + (ROOT / "docs" / "operations.md").read_text("utf-8")
        commands = next(a for a in command_line()._actions if a.dest == "command").choices
        for command, parser in commands.items():
            self.assertIn(f"./crenn {command}", text)
            for action in parser._actions:
                for option in action.option_strings:
                    if option.startswith("--") and option != "--help":
                        self.assertIn(option, text, f"of ./crenn {command}")
