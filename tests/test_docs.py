"""What the documents say is so: examples are valid, tables current, links and paths lead somewhere."""

import json
import re
import textwrap
import unittest

import numpy as np

from crenn.cli import parser as command_line
from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.merge.instructions import Instructions
from crenn.core.parameter_table import with_table
from crenn.core.pipeline.compile import compiled
from crenn.core.treatment import parse_treatment
from tests.core.light.test_light import light_of
from tests.support import ROOT, night

PAGES = [*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")]


def example(page: str) -> dict:
    found = re.search(r"```json\n(.*?)```", (ROOT / "docs" / page).read_text("utf-8"), re.S)
    assert found, f"{page} has no example"
    return json.loads(found[1])


class Documents(unittest.TestCase):
    def test_examples_are_valid(self):
        self.assertEqual(parse_treatment(example("treatment.md")).exposure.ev, 0.5)
        self.assertEqual(Instructions.model_validate(example("merge.md")).seconds, {"IMG_0007.jpg": 0.25})

    def test_the_step_that_is_explained_works_as_it_stands(self):
        found = re.search(r"```python\n(.*?)```", (ROOT / "docs" / "steps.md").read_text("utf-8"), re.S)
        assert found, "steps.md has no example"
        module: dict = {}
        exec(textwrap.dedent(found[1]), module)
        step, scene = module["Strength"](), light_of(night())
        rgb = night().reshape(-1, 3)
        for factor, wanted in ((1.0, rgb), (0.0, np.repeat((rgb @ LUMINANCE)[:, None], 3, 1))):
            program = compiled([(step, step.parameters(factor=factor))], [], scene, display=False)
            matrix = np.eye(3) if program.neutral else program.instructions[0].matrix
            np.testing.assert_allclose(rgb @ matrix.T, wanted, atol=1e-6)
        bent = compiled([(step, step.parameters())], [{"strength": {"factor": 0.5}}], scene, display=False)
        self.assertEqual([i.area for i in bent.instructions], [0])

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
