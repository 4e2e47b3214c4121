"""Treatment documents: read, checked, and what each dial states."""

import json
import unittest

import numpy as np

from crenn.api.limits import MAX_JSON_BYTES
from crenn.core.changes import Change, UnknownPlace, changed
from crenn.core.errors import InvalidTreatment
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import STEPS, Treatment, parse_treatment, read_treatment
from tests.support import FolderCase, night


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
            ({"version": 8}, "version"),
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

    def test_documents_of_version_1_mean_what_they_meant(self):
        first = {
            "format": "crenn-treatment",
            "version": 1,
            "exposure": {"on": True, "ev": 1.5},
            "white_balance": {"on": True, "temperature": 4200.0, "tint": None},
            "placement": {"on": True, "shadows": 2.0, "highlights": None, "local": 1.4, "reach": 4.0, "rungs": []},
            "tone": {"on": True, "contrast": None, "toe": 10.0, "shoulder": 0.0},
            "ends": {"on": False, "white": None, "black": None},
        }
        read = parse_treatment(first)
        self.assertEqual(read.version, 7)
        self.assertEqual((read.exposure.ev, read.tone.toe, read.ends.on), (1.5, 10.0, False))
        # What version 1 did not have is as it is by default, and changes nothing.
        written = json.loads(read.model_dump_json())
        for name, section in first.items():
            if isinstance(section, dict):
                self.assertEqual(written[name] | section, written[name])
        # Local contrast and reach had other defaults.
        for placement in ({}, {"placement": {"shadows": 1.0}}):
            before = parse_treatment({"version": 1} | placement)
            self.assertEqual((before.placement.local, before.placement.reach), (1.3, 3.0))
        now = parse_treatment({"version": 4}).placement
        self.assertEqual((now.local, now.reach), (1.6, 6.0))
        # Since version 6 local contrast is found by the scene's span.
        self.assertIsNone(parse_treatment({"version": 6}).placement.local)
        # Since version 7 perspective is by the lens's own focal length.
        tipped = {"perspective": {"vertical": 5.0}}
        self.assertEqual(parse_treatment({"version": 6} | tipped).perspective.focal, 36.0)
        self.assertIsNone(parse_treatment({"version": 7} | tipped).perspective.focal)
        for step in STEPS:
            if step.name not in (*first, "noise", "stars"):
                self.assertEqual(read.section(step), step.parameters())
        self.assertEqual(read.areas, [])
        self.assertEqual(parse_treatment(written), read)

    def test_relief_of_version_2_shows_the_same_picture(self):
        """What was broad alone took medium and fine with it; three bands say so one by one."""
        part = {"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.3, 0.3]}
        old = {
            "version": 2,
            "relief": {"fine": 1.5, "broad": 1.4},
            "areas": [
                {"parts": [part], "bends": {"relief.broad": 0.6}},
                {"parts": [part], "bends": {"relief.fine": 0.5}},
            ],
        }
        read = parse_treatment(old)
        self.assertEqual(
            read.relief.model_dump(include={"fine", "medium", "broad", "colour"}),
            {"fine": 1.9, "medium": 1.4, "broad": 1.4, "colour": 1.0},
        )
        bends = read.areas[0].bends
        self.assertEqual((bends["relief.medium"], bends["relief.broad"]), (0.6, 0.6))
        # Fine detail in the area: 0.5 + 0.4 by the picture, 1.4 × −0.4 more by the area.
        self.assertAlmostEqual(1.9 * (bends["relief.fine"] - 1.0), 1.4 * -0.4)
        self.assertEqual(read.areas[1].bends, {"relief.fine": 0.5})
        for odd in (
            {"relief": 3},
            {"relief": {"broad": "x"}},
            {"areas": 3},
            {"areas": [{"bends": {"relief.broad": None}}]},
        ):
            with self.subTest(odd=odd), self.assertRaises(InvalidTreatment):
                parse_treatment({"version": 2} | odd)

    def test_documents_before_version_4_keep_their_noise(self):
        self.assertTrue(parse_treatment({}).takes_noise)
        for version in (1, 2, 3):
            self.assertFalse(parse_treatment({"version": version}).takes_noise, version)

    def test_whether_noise_is_taken_is_known(self):
        """By it, noise is split off before a picture is delivered, or is not."""
        part = {"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.3, 0.3]}
        for document, takes in (
            ({}, True),
            ({"noise": {"on": False}}, False),
            ({"noise": {"luminance": 0, "colour": 0}}, False),
            ({"noise": {"luminance": 0, "colour": 0.1}}, True),
            ({"noise": {"fine": 0, "medium": 0, "coarse": 0}}, False),
        ):
            self.assertEqual(parse_treatment(document).takes_noise, takes, document)
        bent = {"areas": [{"name": "A", "parts": [part], "bends": {"noise.luminance": 0.5}}]}
        self.assertTrue(parse_treatment(bent).takes_noise)

    def test_defaults_of_geometry_and_relief_change_no_pixel(self):
        rgb = night()
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
        whole = Window.whole(rgb.shape[:2])
        default = parse_treatment({})
        self.assertEqual(renderer.frame(default).offset, (0, 0))
        plain, _ = renderer.picture(default, whole, 16)
        without, _ = renderer.picture(default.without("turn", "level", "perspective", "crop", "relief"), whole, 16)
        np.testing.assert_array_equal(plain, without)

    def test_every_dial_states_unit_range_and_help(self):
        for step in STEPS:
            for name, info in step.parameters.model_fields.items():
                extra = info.json_schema_extra
                if isinstance(extra, dict) and "unit" in extra:
                    self.assertTrue(info.title and info.description and extra["unit"], f"{step.name}.{name}")
                    self.assertLess(extra["low"], extra["high"])


BRUSH = {"kind": "brush", "strokes": [{"points": [8000, 4000, 100, 0], "radius": 0.05}]}
DISC = {"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.3, 0.3]}


class Changes(unittest.TestCase):
    """A treatment after changes is what its document is after them, and keeps what they do not touch."""

    def setUp(self):
        areas = [{"parts": [BRUSH, DISC], "bends": {"exposure.ev": 1}}, {"name": "B", "parts": [DISC]}]
        self.treatment = parse_treatment({"exposure": {"ev": 1}, "areas": areas})

    def changed(self, *changes: tuple) -> Treatment:
        told = [
            Change(path=list(path), value=value[0]) if value else Change(path=list(path)) for path, *value in changes
        ]
        found = self.treatment.changed(told)
        document = json.loads(json.dumps(changed(self.treatment.model_dump(mode="json"), told)))
        self.assertEqual(found, parse_treatment(document))
        return found

    def test_areas_and_parts_are_known_by_ids(self):
        first, second = self.treatment.areas
        self.assertEqual((first.id, second.id, [p.id for p in first.parts]), ("a1", "a2", ["p1", "p2"]))
        kept = parse_treatment({"areas": [{"id": "a2", "parts": [DISC]}, {"parts": [DISC]}]})
        self.assertEqual([a.id for a in kept.areas], ["a2", "a1"])
        for bad in ([{"id": "x", "parts": [DISC]}] * 2, [{"id": "a b", "parts": [DISC]}]):
            with self.assertRaises(InvalidTreatment):
                parse_treatment({"areas": bad})

    def test_changes_of_every_kind(self):
        stroke = {"points": [100, 100], "radius": 0.1}
        found = self.changed(
            (("exposure", "ev"), 2.0),
            (("areas", "a1", "bends", "relief.fine"), 1.5),
            (("areas", "a1", "bends", "exposure.ev"),),
            (("areas", "a1", "parts", "p1", "strokes", "+"), stroke),
            (("areas", "a2"),),
            (("areas", "+"), {"id": "new", "parts": [DISC]}),
        )
        self.assertEqual([a.id for a in found.areas], ["a1", "new"])
        self.assertEqual(len(found.areas[0].parts[0].strokes), 2)

    def test_what_is_not_touched_is_the_same(self):
        found = self.changed((("areas", "a1", "parts", "p2", "soften"), 2.0))
        self.assertIs(found.areas[0].parts[0], self.treatment.areas[0].parts[0])
        self.assertIs(found.areas[1], self.treatment.areas[1])
        self.assertIs(found.relief, self.treatment.relief)
        self.assertNotEqual(found.key, self.treatment.key)
        self.assertEqual(found.told_apart, self.treatment.told_apart, "masks alone differ")
        self.assertEqual(self.changed((("areas", "a2", "name"), "Other")).key, self.treatment.key)

    def test_copies_are_told_from_what_they_were_copied_from(self):
        told = self.treatment.key, self.treatment.told_apart
        for other in (self.treatment.without("exposure"), self.treatment.with_sections(areas=[])):
            self.assertNotIn(other.key, told)
            self.assertNotIn(other.told_apart, told)

    def test_what_cannot_be_is_refused(self):
        for path, value, fault in (
            (["exposure", "ev"], 99, InvalidTreatment),
            (["areas"], 3, InvalidTreatment),
            (["areas", "a1", "parts"], [], InvalidTreatment),
            (["areas", "a1", "bends", "exposure.ev"], 99, InvalidTreatment),
            (["areas", "+"], {"id": "a1", "parts": [DISC]}, InvalidTreatment),
            (["sparkle"], 1, InvalidTreatment),
            (["areas", "gone", "name"], "x", UnknownPlace),
            (["exposure", "ev", "more"], 1, UnknownPlace),
        ):
            with self.subTest(path=path), self.assertRaises(fault):
                self.treatment.changed([Change(path=path, value=value)])

    def test_strokes_of_all_brushes_stay_of_a_size_that_can_be_sent(self):
        long = {"kind": "brush", "strokes": [{"points": [8000, 4000, *[-3, -2] * 999], "radius": 0.02}] * 300}
        full = parse_treatment({"areas": [{"parts": [long]}]})
        self.assertLess(len(full.model_dump_json()), MAX_JSON_BYTES)
        with self.assertRaisesRegex(InvalidTreatment, "strokes together"):
            parse_treatment({"areas": [{"parts": [long]}, {"parts": [BRUSH]}]})
