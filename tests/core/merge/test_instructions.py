"""Merge instructions: defaults decide nothing, faults are named, nothing impossible passes."""

import json
import unittest

from pydantic import ValidationError

from crenn.core.errors import CrennError
from crenn.core.merge.instructions import Instructions
from tests.support import FolderCase

STROKE = {"kind": "moved", "points": [[0.1, 0.2]], "radius": 0.02}


class Checked(unittest.TestCase):
    def test_nothing_said_lets_the_program_decide(self):
        said = Instructions()
        self.assertEqual((said.mode, said.method, said.follow, said.reference), ("auto", "auto", "auto", None))
        self.assertTrue(said.align and said.deghost)
        self.assertEqual(Instructions.model_validate({}), said)

    def test_a_document_and_back(self):
        document = {
            "mode": "stack",
            "method": "clipped",
            "reference": "A.dng",
            "seconds": {"A.dng": 0.25},
            "strokes": [STROKE | {"frame": "B.dng"}],
            "choices": [{"x": 0.4, "y": 0.6, "frame": "B.dng"}],
        }
        said = Instructions.model_validate(document)
        self.assertEqual(Instructions.model_validate(json.loads(said.model_dump_json())), said)

    def test_what_cannot_be_is_refused_where_it_stands(self):
        for document, where in (
            ({"mode": "panorama"}, "mode"),
            ({"reference": 3}, "reference"),
            ({"reference": "x" * 301}, "reference"),
            ({"seconds": {"a": 0}}, "seconds.a"),
            ({"seconds": {"a": float("inf")}}, "seconds.a"),
            ({"seconds": {"a": -1}}, "seconds.a"),
            ({"strokes": [STROKE | {"radius": 0}]}, "strokes.0.radius"),
            ({"strokes": [STROKE | {"radius": float("nan")}]}, "strokes.0.radius"),
            ({"strokes": [STROKE | {"points": []}]}, "strokes.0.points"),
            ({"strokes": [STROKE | {"points": [[9, 0]]}]}, "strokes.0.points.0.0"),
            ({"strokes": [STROKE | {"points": [[0.5, 0.5]] * 4001}]}, "strokes.0.points"),
            ({"strokes": [STROKE] * 501}, "strokes"),
            ({"strokes": [STROKE | {"frame": "a\0b"}]}, "strokes.0.frame"),
            ({"choices": [{"x": 1.2, "y": 0, "frame": "a"}]}, "choices.0.x"),
            ({"choices": [{"x": 0.2, "y": 0}]}, "choices.0.frame"),
            ({"sharpen": True}, "sharpen"),
            ({"version": 3}, "version"),
        ):
            with self.subTest(where=where), self.assertRaises(ValidationError) as refused:
                Instructions.model_validate(document)
            self.assertIn(where, [".".join(map(str, e["loc"])).split("[")[0] for e in refused.exception.errors()])


class Files(FolderCase):
    def test_faults_name_the_file_and_the_value(self):
        path = self.folder / "m.json"
        for text, words in (
            ("{", "m.json: is no JSON"),
            ('{"mode": "all"}', "m.json: has a wrong value at mode"),
            ('{"strokes": [{"kind": "moved"}]}', "strokes.0"),
            ("[]", "m.json"),
        ):
            path.write_text(text)
            with self.subTest(text=text), self.assertRaisesRegex(CrennError, words):
                Instructions.read(path)
        with self.assertRaisesRegex(CrennError, "absent.json: cannot be read"):
            Instructions.read(self.folder / "absent.json")
        path.write_text('{"mode": "bracket"}')
        self.assertEqual(Instructions.read(path).mode, "bracket")
