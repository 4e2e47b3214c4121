"""Treatment documents: read, checked, and what each dial states."""

import json

from crenn.core.errors import InvalidTreatment
from crenn.core.treatment import STEPS, parse_treatment, read_treatment
from tests.support import FolderCase


class Treatments(FolderCase):
    def test_json_and_back(self):
        document = {"exposure": {"ev": 0.5}, "placement": {"rungs": [{"stop": -4, "ev": 0.8}]}}
        treatment = parse_treatment(document)
        self.assertEqual(parse_treatment(json.loads(treatment.model_dump_json())), treatment)

    def test_faults_name_the_value(self):
        for document, words in (
            ({"exposure": {"ev": 99}}, "exposure.ev"),
            ({"sparkle": {}}, "sparkle"),
            ({"tone": {"contrast": "much"}}, "tone.contrast"),
            ({"version": 7}, "version"),
            ({"placement": {"rungs": [{"stop": 1, "ev": 1}, {"stop": 1, "ev": 2}]}}, "same stop"),
            ({"exposure": {"ev": float("nan")}}, "exposure.ev"),
            ([], "JSON object"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(InvalidTreatment, words):
                parse_treatment(document)

    def test_files_that_are_no_treatment(self):
        path = self.folder / "t.json"
        path.write_text("{broken")
        with self.assertRaisesRegex(InvalidTreatment, "t.json: is no JSON"):
            read_treatment(path)
        with self.assertRaisesRegex(InvalidTreatment, "absent.json"):
            read_treatment(self.folder / "absent.json")

    def test_every_dial_states_unit_range_and_help(self):
        for step in STEPS:
            for name, info in step.parameters.model_fields.items():
                extra = info.json_schema_extra
                if isinstance(extra, dict) and "unit" in extra:
                    self.assertTrue(info.title and info.description and extra["unit"], f"{step.name}.{name}")
                    self.assertLess(extra["low"], extra["high"])
