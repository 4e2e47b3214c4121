"""Places of documents keep to what they lie on through merges with other borders and over other frames, on truth."""

import numpy as np

from crenn.core.basis import Basis, basis_of, place_map
from crenn.core.geometry.mapping import apply_homography
from crenn.core.merge.instructions import Choice, Instructions, Stroke
from crenn.core.merge.merge import merge_frames
from tests.core.align.test_bracket import CLEAN, hand_held
from tests.support import FolderCase, take

#: Places of the third frame, in its pixels, where pixel centres are whole numbers.
PLACES = np.array([[80.0, 70.0], [300.0, 200.0], [470.0, 310.0], [120.0, 330.0]])
_SIZE = np.array([560.0, 384.0])


class HandHeld(FolderCase):
    """One shaken bracket, merged in several ways."""

    def setUp(self):
        super().setUp()
        scenes, self.maps = hand_held(0.35)
        self.paths = take(self.folder, scenes, sensor=CLEAN)
        self.keys = [f"hash{k}" for k in range(len(self.paths))]

    def merged(self, reference: int, borders: str = "filled", **more):
        instructions = Instructions(borders=borders, **more)
        return merge_frames(self.paths, reference, instructions=instructions, keys=self.keys)

    def seen(self, reference: int, basis: Basis) -> np.ndarray:
        """Where the places lie in a scene laid over a frame, in shares of its longer side: the truth."""
        there = apply_homography(np.array(self.maps[reference]), PLACES) + 0.5
        return (there - basis.offset) / max(basis.size)

    def test_places_lie_on_the_same_things_within_a_pixel(self):
        before, _ = basis_of(self.merged(2).report)
        self.assertEqual(before, Basis(frame="hash2", size=[560, 384]))
        for reference, borders in ((2, "common"), (0, "filled"), (3, "common")):
            after, maps = basis_of(self.merged(reference, borders).report)
            with self.subTest(reference=reference, borders=borders):
                self.assertEqual(after.frame, self.keys[reference])
                self.assertEqual(set(maps), set(self.keys) - {after.frame})
                found = place_map(before, after, maps).at(self.seen(2, before))
                off = np.hypot(*(found - self.seen(reference, after)).T) * max(after.size)
                self.assertLess(off.max(), 1.0)
                if borders == "common":
                    self.assertLess(after.size[0], 560)

    def test_strokes_and_choices_of_a_cut_picture_reach_what_they_lie_on(self):
        basis, _ = basis_of(self.merged(2, "common").report)
        at = self.seen(2, basis)[1] * max(basis.size) / basis.size
        stroke = Stroke(kind="moved", points=[(at[0], at[1])], radius=12 / basis.size[0], frame=self.paths[1].name)
        for reference in (2, 0):
            again = self.merged(reference, basis=basis, strokes=[stroke])
            after, _ = basis_of(again.report)
            x, y = self.seen(reference, after)[1] * max(after.size)
            rows, columns = np.nonzero(again.moved == 2)
            with self.subTest(reference=reference):
                self.assertGreater(rows.size, 200)
                near = np.hypot(columns + 0.5 - x, rows + 0.5 - y) < 20
                middle = np.array([columns[near].mean() + 0.5, rows[near].mean() + 0.5])
                np.testing.assert_allclose(middle, [x, y], atol=2.5)


class Shares(FolderCase):
    def test_instructions_go_from_basis_to_basis_and_back(self):
        whole, cut = Basis(frame="a", size=[600, 400]), Basis(frame="a", size=[540, 360], offset=[30, 20])
        first = Instructions(
            strokes=[Stroke(kind="still", points=[(0.5, 0.5), (0.2, 0.9)], radius=0.1)],
            choices=[Choice(x=0.5, y=0.25, frame="f"), Choice(x=0.01, y=0.5, frame="f")],
        )
        there = first.in_basis(cut, {}, whole)
        np.testing.assert_allclose(np.array(there.strokes[0].points) * [540, 360] + [30, 20], [[300, 200], [120, 360]])
        self.assertAlmostEqual(there.strokes[0].radius * 540, 60)
        self.assertEqual(len(there.choices), 1, "what lies beyond the picture is not shown")
        back = there.in_basis(whole, {}, whole)
        np.testing.assert_allclose(back.strokes[0].points, first.strokes[0].points)
        self.assertEqual(first.in_basis(None, {}, None).strokes, first.strokes)
