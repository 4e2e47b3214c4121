"""Programs: what steps write, and how instructions fold."""

import unittest

import numpy as np

from crenn.core.pipeline.compile import compiled
from crenn.core.pipeline.instructions import EVERYWHERE, TABLE_SIZE, Operation, table_stops
from crenn.core.pipeline.planes import Plane
from crenn.core.pipeline.program import Program
from crenn.core.render.programs import bending, program_of
from crenn.core.treatment import STEPS, Treatment, parse_treatment
from tests.core.light.test_light import light_of
from tests.support import night

LIGHT = light_of(night())


def operations(document: dict, display: bool = False) -> list[tuple[Operation, int]]:
    """Operation and area of every instruction of a treatment's program."""
    return [(i.operation, i.area) for i in program_of(parse_treatment(document), LIGHT, display).instructions]


def off(**sections) -> dict:
    return Treatment.neutral().model_dump() | sections


def area(**bends) -> dict:
    part = {"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.2, 0.2]}
    return {"parts": [part], "bends": {name.replace("__", "."): value for name, value in bends.items()}}


class Folding(unittest.TestCase):
    def test_matrices_become_one_in_their_order(self):
        program = Program()
        one, two = np.diag([2.0, 1.0, 0.5]), np.roll(np.eye(3), 1, 0)
        program.matrix(one)
        program.matrix(two)
        program.gain(1.0)
        self.assertEqual(len(program.instructions), 1)
        np.testing.assert_allclose(program.instructions[0].matrix, 2 * two @ one)

    def test_curves_are_followed_one_by_the_other(self):
        program = Program()
        program.curve(lambda stops: 0.5 * stops)
        program.curve(lambda stops: np.where(stops > 3, 1.0, 0.0))
        (only,) = program.instructions
        at = np.interp([1.0, 2.5, 4.0], table_stops(), only.table)
        np.testing.assert_allclose(at, [0.5, 1.25 + 1.0, 2.0 + 1.0], atol=0.02)

    def test_what_stands_between_keeps_them_apart(self):
        program = Program()
        program.curve(lambda stops: 0.1 * stops)
        program.matrix(2 * np.eye(3))
        program.curve(lambda stops: 0.1 * stops)
        self.assertEqual(
            [i.operation for i in program.instructions], [Operation.CURVE, Operation.MATRIX, Operation.CURVE]
        )

    def test_areas_fold_with_none_but_themselves(self):
        program = Program()
        program.matrix(2 * np.eye(3))
        with program.under(0):
            program.matrix(3 * np.eye(3))
            program.matrix(4 * np.eye(3))
        with program.under(1):
            program.matrix(5 * np.eye(3))
        program.matrix(6 * np.eye(3))
        self.assertEqual([i.area for i in program.instructions], [EVERYWHERE, 0, 1, EVERYWHERE])
        np.testing.assert_allclose(program.instructions[1].matrix, 12 * np.eye(3))

    def test_nothing_is_written_for_nothing(self):
        program = Program()
        plane = Plane("x", (), 1.0, lambda light, around: light[..., 0])
        program.matrix(np.eye(3))
        program.gain(0.0)
        program.curve(lambda stops: 0 * stops)
        program.grid(3.0, np.zeros(TABLE_SIZE))
        program.add(plane, 0.0)
        self.assertTrue(program.neutral)

    def test_the_shift_is_that_of_the_whole_picture_alone(self):
        program = Program()
        program.gain(1.5)
        with program.under(0):
            program.gain(4.0)
        program.grid(3.0, None, 0.3)
        self.assertAlmostEqual(program.shift, 1.5)
        self.assertAlmostEqual(program.instructions[-1].curve.shift, 1.5)

    def test_a_plane_that_many_read_is_listed_once(self):
        program = Program()
        plane = Plane("x", (2,), 1.0, lambda light, around: light[..., 0])
        again = Plane("x", (2,), 1.0, lambda light, around: light[..., 1])
        program.add(plane, 0.5)
        with program.under(0):
            program.add(again, 0.25)
        program.add(Plane("x", (3,), 1.0, plane.make), 1.0)
        self.assertEqual([p.key for p in program.planes], [("x", (2,)), ("x", (3,))])


class Writing(unittest.TestCase):
    def test_every_step_is_silent_when_it_is_off_or_neutral(self):
        self.assertEqual(operations(off()), [])
        self.assertEqual(operations(off(relief={"on": True, "fine": 1.0, "broad": 1.0})), [])

    def test_a_step_that_is_off_cannot_be_bent(self):
        bent = off(areas=[area(exposure__ev=2.0)])
        self.assertEqual(operations(bent), [])
        self.assertEqual(operations(bent | {"exposure": {"on": True, "ev": 0.0}}), [(Operation.GAIN, 0)])

    def test_an_area_acts_right_after_the_step_it_bends(self):
        document = off(
            white_balance={"on": True},
            exposure={"on": True, "ev": 1.0},
            relief={"on": True, "fine": 2.0},
            tone={"on": True, "contrast": 1.2},
            areas=[area(relief__fine=0.5), area(tone__contrast=1.5, exposure__ev=-1.0)],
        )
        self.assertEqual(
            operations(document),
            [
                (Operation.MATRIX, EVERYWHERE),
                (Operation.GAIN, 1),
                (Operation.ADD, EVERYWHERE),
                (Operation.ADD, 0),
                (Operation.CURVE, EVERYWHERE),
                (Operation.CURVE, 1),
            ],
        )

    def test_areas_that_are_off_or_bend_nothing_do_not_count(self):
        document = off(
            exposure={"on": True, "ev": 0.0},
            areas=[area(exposure__ev=1.0) | {"on": False}, area(), area(exposure__ev=2)],
        )
        self.assertEqual(operations(document), [(Operation.GAIN, 0)])
        self.assertEqual(len(bending(parse_treatment(document))), 1)

    def test_a_bend_at_its_neutral_value_writes_nothing(self):
        bends = {}
        for step in STEPS:
            for name in step.parameters.model_fields:
                if bend := step.bend_of(name):
                    bends[f"{step.name}.{name}"] = bend.neutral
        self.assertGreaterEqual(len(bends), 5)
        everything = {step.name: {"on": True} for step in STEPS}
        plain, bent = (operations(everything | {"areas": areas}, True) for areas in ([], [area() | {"bends": bends}]))
        self.assertEqual(plain, bent)

    def test_the_display_is_left_out_of_masters(self):
        steps = [(step, Treatment().section(step)) for step in STEPS]
        self.assertIsNone(compiled(steps, [], LIGHT, display=False).display)
        shown = compiled(steps, [], LIGHT).shown
        self.assertEqual(shown.shape, (TABLE_SIZE,))
        self.assertTrue((np.diff(shown) >= 0).all() and shown[0] == 0 and shown[-1] == 1)
        with self.assertRaisesRegex(ValueError, "display"):
            _ = compiled(steps, [], LIGHT, display=False).shown
