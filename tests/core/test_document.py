"""Documents of earlier versions are upgraded one version at a time."""

import unittest
from typing import Literal
from unittest import mock

from pydantic import ValidationError

from crenn.core.document import Document
from crenn.core.errors import InvalidTreatment
from crenn.core.merge.instructions import Instructions
from crenn.core.report.merging import MergeReport
from crenn.core.treatment import Treatment, parse_treatment


def _renamed(document):
    document["brightness"] = document.pop("level", 1)
    return document


def _doubled(document):
    document["brightness"] *= 2
    return document


class Third(Document):
    """A made-up document that was renamed in its second version and rescaled in its third."""

    UPGRADES = {1: _renamed, 2: _doubled}
    version: Literal[3] = 3
    brightness: int = 2


class Upgrades(unittest.TestCase):
    def test_each_version_comes_to_the_same(self):
        now = Third(brightness=10)
        for document in (
            {"version": 1, "level": 5},
            {"version": 2, "brightness": 5},
            {"version": 3, "brightness": 10},
            {"brightness": 10},
        ):
            with self.subTest(document=document):
                self.assertEqual(Third.model_validate(document), now)

    def test_the_callers_document_is_left_alone(self):
        document = {"version": 1, "level": 5}
        Third.model_validate(document)
        self.assertEqual(document, {"version": 1, "level": 5})

    def test_what_is_no_version_is_refused_at_version(self):
        for version in (4, 0, -1, "1", True, [1], None, 1.0):
            with self.subTest(version=version), self.assertRaises(ValidationError) as refused:
                Third.model_validate({"version": version})
            self.assertIn(("version",), [e["loc"] for e in refused.exception.errors()])

    def test_an_upgraded_document_is_still_checked(self):
        with self.assertRaises(ValidationError):
            Third.model_validate({"version": 1, "level": "much"})

    def test_every_kind_of_document_reaches_its_version(self):
        for kind in (Treatment, Instructions, MergeReport):
            current = kind.model_fields["version"].default
            self.assertEqual(sorted(kind.UPGRADES), list(range(1, current)), kind.__name__)

    def test_a_stored_treatment_is_upgraded_when_it_is_read(self):
        def renamed(document):
            document["exposure"] = document.pop("brightening")
            return document

        with (
            mock.patch.object(Treatment, "UPGRADES", {0: renamed, **Treatment.UPGRADES}),
            self.assertRaisesRegex(InvalidTreatment, "brightening"),
        ):
            parse_treatment({"brightening": {"ev": 1}})
        with mock.patch.object(Treatment, "UPGRADES", {0: renamed, **Treatment.UPGRADES}):
            self.assertEqual(parse_treatment({"version": 0, "brightening": {"ev": 1}}).exposure.ev, 1)
