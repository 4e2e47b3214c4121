"""Presets: by a strength, stacked, turned down later, taken off again; what cannot be one."""

import unittest

from crenn.core.changes import Change
from crenn.core.errors import CrennError, Missing
from crenn.core.presets import Preset, on_top, preset_of, put_on, read_preset, shipped, strengthened, taken_off
from crenn.core.treatment import Treatment, parse_treatment

#: What automatic values come to.
AUTOMATIC = {"tone.contrast": 1.1, "exposure.ev": 0.5}
SKY = {"id": "a1", "name": "Sky", "parts": [{"kind": "found", "what": "sky"}], "bends": {"exposure.ev": -1}}


def preset(**more) -> Preset:
    return read_preset({"format": "crenn-preset", "name": "P"} | more)


class Presets(unittest.TestCase):
    def test_numbers_go_by_strength_and_the_rest_from_half_of_it_on(self):
        own = preset(steps={"glow": {"amount": 40, "where": "lamps"}, "tone": {"contrast": 1.5}})
        plain = Treatment()
        half = put_on(plain, own, 50, AUTOMATIC)
        self.assertEqual((half.glow.amount, half.glow.where), (20, "lamps"))
        # An automatic value is gone from.
        self.assertAlmostEqual(half.tone.contrast, 1.3)
        most = put_on(plain, own, 150, AUTOMATIC)
        self.assertEqual((most.glow.amount, round(most.tone.contrast, 3)), (60, 1.7))
        little = put_on(plain, own, 20, AUTOMATIC)
        self.assertEqual((little.glow.amount, little.glow.where), (8, "everywhere"))
        # What it does not name stays automatic.
        self.assertIsNone(most.exposure.ev)
        # A dial ends where it does.
        self.assertEqual(put_on(plain, preset(steps={"glow": {"amount": 90}}), 150).glow.amount, 100)

    def test_several_are_turned_down_and_taken_off_in_any_order(self):
        first = preset(steps={"saturation": {"saturation": 1.4}, "glow": {"amount": 90}, "exposure": {"ev": 1.5}})
        second = preset(steps={"saturation": {"saturation": 1.0}, "glow": {"amount": 20}}, areas=[SKY])
        begin = parse_treatment({"saturation": {"saturation": 0.9}, "areas": [SKY]})
        both = put_on(put_on(begin, first, 100, AUTOMATIC), second, 100, AUTOMATIC)
        self.assertEqual([one.id for one in both.presets], ["p1", "p2"])
        self.assertEqual((both.saturation.saturation, both.glow.amount, len(both.areas)), (1.0, 20, 2))
        faded = strengthened(both, "p2", 40)
        self.assertEqual(faded.areas[1].opacity, 40)
        self.assertAlmostEqual(faded.saturation.saturation, 1.24)
        self.assertAlmostEqual(strengthened(faded, "p2", 100).saturation.saturation, 1.0)
        for order in (("p1", "p2"), ("p2", "p1")):
            off = both
            for key in order:
                off = taken_off(off, key)
            self.assertEqual(off.model_dump(), begin.model_dump(), order)

    def test_what_is_moved_by_hand_since_stays_moved(self):
        on = put_on(Treatment(), preset(steps={"glow": {"amount": 40, "where": "lamps"}}), 100)
        moved = on.with_sections(glow=on.glow.model_copy(update={"amount": 50, "where": "everywhere"}))
        off = taken_off(moved, "p1")
        self.assertEqual((off.glow.amount, off.glow.where), (10, "everywhere"))
        with self.assertRaises(Missing):
            taken_off(off, "p1")

    def test_its_strength_is_told_as_a_change(self):
        on = put_on(Treatment(), preset(steps={"glow": {"amount": 40}}), 100)
        faded = on.changed([Change(path=["presets", "p1", "strength"], value=30.0)])
        self.assertEqual((faded.presets[0].strength, on.presets[0].strength), (30, 100))

    def test_a_step_that_is_off_is_switched_on_for_it_and_off_again(self):
        begin = parse_treatment({"glow": {"on": False, "amount": 10}})
        on = put_on(begin, preset(steps={"glow": {"amount": 40}}), 100)
        self.assertEqual((on.glow.on, on.glow.amount), (True, 40))
        self.assertEqual(taken_off(on, "p1").glow.model_dump(), begin.glow.model_dump())

    def test_one_is_made_of_chosen_steps_and_areas(self):
        treatment = parse_treatment(
            {"glow": {"amount": 30}, "saturation": {"saturation": 1.2}, "areas": [SKY, SKY | {"id": "a2"}]}
        )
        made = preset_of(treatment, "Mine", ["glow", "exposure"], ["a2"], (1.0, 0.75))
        self.assertEqual(made.steps, {"glow": {"amount": 30.0}})
        self.assertEqual([area.name for area in made.areas], ["Sky"])
        again = read_preset(made.model_dump(mode="json"))
        on = on_top(Treatment(), [(again, 100)], scene=(1.0, 0.75))
        self.assertEqual((on.glow.amount, on.saturation.saturation, len(on.areas)), (30, 1.0, 1))
        with self.assertRaisesRegex(CrennError, "Nothing"):
            preset_of(treatment, "None", ["exposure"], [], (1.0, 0.75))

    def test_those_that_ship_can_be_put_on_together(self):
        names = [one.name for one in shipped()]
        self.assertGreaterEqual(len(names), 12)
        self.assertEqual(len(set(names)), len(names))
        together = on_top(Treatment(), [(one, 60) for one in shipped()], automatic=AUTOMATIC)
        for one in reversed(together.presets):
            together = taken_off(together, one.id)
        self.assertEqual(together.model_dump(), Treatment().model_dump())

    def test_odd_ones_are_named(self):
        for change, says in (
            ({"steps": {"nothing": {}}}, "nothing"),
            ({"steps": {"glow": {"amount": 900}}}, "steps"),
            ({"steps": {"glow": {"shine": 1}}}, "steps"),
            ({"steps": {}}, "holds nothing"),
            ({"steps": {"glow": {"amount": float("nan")}}}, "steps"),
            ({"format": "crenn-areas"}, "no preset"),
            ({"name": ""}, "name"),
            ({"areas": [SKY | {"bends": {"glow.shine": 1}}]}, "shine"),
        ):
            with self.subTest(**{k: str(v)[:30] for k, v in change.items()}), self.assertRaisesRegex(CrennError, says):
                read_preset({"format": "crenn-preset", "name": "P", "steps": {"glow": {"amount": 4}}} | change)
