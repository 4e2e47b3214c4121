"""Areas bend colour: inside, a picture is as it would be with the area's dials; outside, as it is."""

import unittest

import numpy as np

from crenn.core.errors import InvalidTreatment
from crenn.core.pipeline.instructions import Operation
from crenn.core.pipeline.step import LightStep
from crenn.core.render.programs import program_of
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import STEPS, parse_treatment
from tests.core.colour.charts import circle, document, scene_of

SIZE = (90, 180)
RANGE = {"name": "Sky", "hue": 250, "width": 60, "shift": 10}
POINTS = [{"name": "Dark", "stop": -6, "hue": 250, "amount": 4}, {"name": "Bright", "stop": -1, "hue": 60, "amount": 3}]
#: By the dial that is bent: what the treatment holds, by how much it is bent, and the same as a value of the dial.
CASES = {
    "saturation.saturation": ({"saturation": {"saturation": 1.4}}, 0.5, {"saturation": {"saturation": 0.7}}),
    "saturation.vibrance": ({"saturation": {}}, 60, {"saturation": {"vibrance": 60}}),
    "saturation.hue": ({"saturation": {"hue": 10}}, -25, {"saturation": {"hue": -15}}),
    "hues.Sky.shift": ({"hues": {"ranges": [RANGE]}}, 15, {"hues": {"ranges": [RANGE | {"shift": 25}]}}),
    "hues.Sky.saturation": (
        {"hues": {"ranges": [RANGE]}},
        2,
        {"hues": {"ranges": [RANGE | {"saturation": 2}]}},
    ),
    "tints.Bright.amount": (
        {"tints": {"points": POINTS}},
        5,
        {"tints": {"points": [POINTS[0], POINTS[1] | {"amount": 8}]}},
    ),
    "tints.balance": ({"tints": {"points": POINTS}}, 2, {"tints": {"points": POINTS, "balance": 2}}),
    "tones.midtones_blue": ({"tones": {"midtones_blue": 0.2}}, 0.3, {"tones": {"midtones_blue": 0.5}}),
    "inks.blue_black": ({"inks": {"blue_black": 0.2}}, 0.4, {"inks": {"blue_black": 0.6}}),
    "monochrome.amount": ({"monochrome": {"amount": 100}}, -100, {"monochrome": {"amount": 0}}),
    "monochrome.blue": (
        {"monochrome": {"amount": 100}},
        -1,
        {"monochrome": {"amount": 100, "blue": -1}},
    ),
    "primaries.red_hue": ({"primaries": {"red_hue": 5}}, 8, {"primaries": {"red_hue": 13}}),
    "channels.red_green": ({"channels": {"red_green": 10}}, 20, {"channels": {"red_green": 30}}),
    "cast.amount": ({"cast": {"red": 0.4, "blue": -0.2}}, -100, {"cast": {"red": 0.4, "blue": -0.2, "amount": 0}}),
    "faint.gain": ({"faint": {"gain": 2}}, 1.5, {"faint": {"gain": 3}}),
}


def chart() -> np.ndarray:
    """All hues three times side by side, over rows of rising lightness, float32 (90, 180, 3)."""
    rows = [circle(60, (0.12,), lightness) for lightness in np.linspace(0.15, 0.9, 90)]
    return np.tile(np.concatenate(rows), (1, 3, 1))


#: Full over the left third, nothing over the right one, half as far in the middle.
LEFT = {"kind": "gradient", "start": [0.333, 0.25], "end": [0.667, 0.25]}


class Bends(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.scene = scene_of(chart())

    def rendered(self, sections: dict, **bends: float) -> np.ndarray:
        areas = [{"parts": [LEFT], "bends": bends}] if bends else []
        treatment = parse_treatment(document(**sections) | {"areas": areas})
        return Renderer(self.scene).linear(treatment, Window.whole(SIZE))

    def test_inside_it_is_as_with_the_other_value_and_outside_as_it_was(self):
        for path, (sections, by, other) in CASES.items():
            bent = self.rendered(sections, **{path: by})
            within, without = self.rendered(other), self.rendered(sections)
            with self.subTest(path=path):
                self.assertGreater(np.abs(within - without)[:, :50].max(), 0.002)
                np.testing.assert_allclose(bent[:, :58], within[:, :58], atol=0.004)
                np.testing.assert_allclose(bent[:, 122:], without[:, 122:], atol=1e-5)

    def test_what_bends_nothing_changes_nothing(self):
        sections = {"saturation": {"saturation": 1.3}, "hues": {"ranges": [RANGE]}}
        for path, neutral in (("saturation.saturation", 1.0), ("hues.Sky.shift", 0.0)):
            np.testing.assert_array_equal(self.rendered(sections, **{path: neutral}), self.rendered(sections))

    def test_bends_of_two_steps_in_one_area(self):
        sections = {"saturation": {"saturation": 1.2}, "hues": {"ranges": [RANGE]}}
        bent = self.rendered(sections, **{"saturation.saturation": 1.5, "hues.Sky.shift": 20})
        within = self.rendered({"saturation": {"saturation": 1.8}, "hues": {"ranges": [RANGE | {"shift": 30}]}})
        np.testing.assert_allclose(bent[:, :58], within[:, :58], atol=0.004)

    def test_a_range_that_is_gone_is_bent_no_more(self):
        np.testing.assert_array_equal(
            self.rendered({"hues": {"ranges": [RANGE]}}, **{"hues.Gone.shift": 20}),
            self.rendered({"hues": {"ranges": [RANGE]}}),
        )

    def test_dials_that_are_none(self):
        for path in ("hues.Sky.width", "hues.Sky", "sky.turn", "saturation.Sky.hue", "hues.shift"):
            with self.subTest(path=path), self.assertRaises(InvalidTreatment):
                parse_treatment({"areas": [{"parts": [LEFT], "bends": {path: 0.0}}]})


class Declared(unittest.TestCase):
    def test_every_dial_of_colour_can_be_bent(self):
        """But what a filter, an ink or a place on the circle is for the picture as a whole."""
        whole = {"sky.turn", "hues.hue", "hues.width", "hues.soft", "hues.least", "hues.most", "tints.stop"}
        for step in (s for s in STEPS if s.station == "colour" and isinstance(s, LightStep)):
            models = [("", step.parameters), *(("any.", model) for model in step.items.values())]
            for before, model in models:
                for name, info in model.model_fields.items():
                    extra = info.json_schema_extra
                    if isinstance(extra, dict) and extra.get("kind") == "dial" and f"{step.name}.{name}" not in whole:
                        self.assertIsNotNone(step.bend_of(before + name), f"{step.name}.{name}")


class Folding(unittest.TestCase):
    def operations(self, **sections) -> list:
        areas = sections.pop("areas", [])
        treatment = parse_treatment(document(**sections) | {"areas": areas})
        return program_of(treatment, scene_of(circle(8)).light, False).instructions

    def test_neighbours_become_one(self):
        program = self.operations(saturation={"saturation": 1.2}, hues={"ranges": [RANGE]}, monochrome={"amount": 20})
        self.assertEqual([i.operation for i in program], [Operation.COLOUR])
        program = self.operations(inks={"blue_black": 0.2}, tints={"points": POINTS}, tones={"midtones_red": 0.1})
        self.assertEqual(len(program), 1)

    def test_those_that_tell_colours_by_other_stops_stay_apart(self):
        program = self.operations(saturation={"saturation": 1.2}, tints={"points": POINTS})
        self.assertEqual([i.colours.by for i in program], ["scene", "picture"])

    def test_what_is_carried_to_each_place_stays_by_itself(self):
        program = self.operations(sky={"strength": 1.0}, inks={"blue_black": 0.2}, tones={"midtones_red": 0.1})
        self.assertEqual([i.carried is not None for i in program], [True, False])

    def test_an_area_takes_the_place_of_what_the_whole_picture_went_through(self):
        area = {"parts": [LEFT], "bends": {"hues.Sky.shift": 5}}
        program = self.operations(saturation={"saturation": 1.2}, hues={"ranges": [RANGE]}, areas=[area])
        self.assertEqual([i.area for i in program], [-1, 0])
        self.assertEqual(program[1].colours.replaces, program[0].colours.functions)
        self.assertEqual(program[1].colours.functions[0], program[0].colours.functions[0])


if __name__ == "__main__":
    unittest.main()
