"""Revisions of a scene's treatment: only ever added to; undo and redo move along them; a stale tab is told."""

import threading
import time

import numpy as np
from sqlalchemy import func, select, text

from crenn.core.changes import Change, UnknownPlace
from crenn.core.errors import InvalidTreatment
from crenn.core.treatment import parse_treatment
from crenn.store.models import Revision, Scene, Shoot
from crenn.store.sections import load_document
from crenn.store.treatments import (
    StaleRevision,
    change_treatment,
    current_treatment,
    redo,
    start_treatment,
    steps_possible,
    undo,
)
from tests.support import FolderCase, fresh_database


class Revisions(FolderCase):
    def setUp(self):
        super().setUp()
        self.database = fresh_database()
        self.addCleanup(self.database.close)
        with self.database.session() as session:
            shoot = Shoot(name="s", scenes=[Scene(title="t"), Scene(title="u")])
            session.add(shoot)
            session.flush()
            for scene in shoot.scenes:
                start_treatment(session, scene)
            session.commit()
            self.scene, self.other = (s.id for s in shoot.scenes)

    def do(self, action, *values, scene: int | None = None):
        """Do something in a transaction of its own; the treatment's exposure after it."""
        with self.database.session() as session:
            revision = action(session, scene or self.scene, *values)
            session.commit()
            return self.exposure(session, revision)

    def exposure(self, session, revision: Revision) -> float | None:
        return load_document(session, revision.sections).get("exposure", {}).get("ev")

    def here(self, scene: int | None = None) -> int:
        with self.database.session() as session:
            return session.get_one(Scene, scene or self.scene).take.revision_id

    def change(self, ev: float, scene: int | None = None) -> None:
        document = {"exposure": {"ev": ev}}
        self.do(change_treatment, document, self.here(scene), f"Exposure {ev}", scene=scene)

    def possible(self) -> tuple[bool, bool]:
        with self.database.session() as session:
            return steps_possible(session, session.get_one(Scene, self.scene))

    def count(self) -> int:
        with self.database.session() as session:
            return session.execute(select(func.count(Revision.id))).scalar_one()

    def test_undo_and_redo_walk_the_way_that_was_gone(self):
        self.assertEqual(self.possible(), (False, False))
        for ev in (1.0, 2.0, 3.0):
            self.change(ev)
        self.assertEqual(self.possible(), (True, False))
        self.assertEqual([self.do(undo) for _ in range(4)], [2.0, 1.0, None, None])
        self.assertEqual(self.possible(), (False, True))
        self.assertEqual([self.do(redo) for _ in range(4)], [1.0, 2.0, 3.0, 3.0])

    def test_a_change_after_undo_begins_a_branch_and_loses_nothing(self):
        for ev in (1.0, 2.0):
            self.change(ev)
        self.do(undo)
        before = self.count()
        self.change(5.0)
        self.assertEqual(self.count(), before + 1)
        self.assertEqual(self.do(undo), 1.0)
        # Redo follows the newest branch.
        self.assertEqual(self.do(redo), 5.0)
        with self.database.session() as session:
            kept = [self.exposure(session, r) for r in session.execute(select(Revision)).scalars()]
        self.assertIn(2.0, kept)

    def test_scenes_do_not_share_their_way(self):
        self.change(1.0)
        self.change(-1.0, scene=self.other)
        self.assertEqual(self.do(undo), None)
        self.assertEqual(self.do(redo), 1.0)
        self.assertEqual(self.do(undo, scene=self.other), None)

    def test_a_stale_tab_is_told_and_changes_nothing(self):
        stale = self.here()
        self.change(1.0)
        count = self.count()
        with self.assertRaisesRegex(StaleRevision, "another window.*newest state"):
            self.do(change_treatment, {"exposure": {"ev": 9.0}}, stale, "late")
        self.assertEqual(self.count(), count)
        self.assertEqual(self.do(undo), None)

    def test_of_two_tabs_at_once_one_wins_and_one_is_told(self):
        start, begun, outcomes = self.here(), threading.Barrier(6), []

        def tab(ev: float) -> None:
            begun.wait()
            try:
                self.do(change_treatment, {"exposure": {"ev": ev}}, start, "at once")
                outcomes.append(ev)
            except StaleRevision:
                outcomes.append(None)

        tabs = [threading.Thread(target=tab, args=(float(n),)) for n in range(6)]
        for thread in tabs:
            thread.start()
        for thread in tabs:
            thread.join()
        winners = [o for o in outcomes if o is not None]
        self.assertEqual((len(outcomes), len(winners)), (6, 1))
        self.assertEqual(self.do(redo), winners[0])

    def test_what_is_stored_is_checked_and_names_what_departs_from_the_default(self):
        self.change(0.5)
        with self.database.session() as session:
            document = load_document(session, session.get_one(Revision, self.here()).sections)
            found = current_treatment(session, session.get_one(Scene, self.scene))
        self.assertEqual(document["version"], 7)
        self.assertEqual(set(document), {"format", "version", "exposure"})
        self.assertEqual(found, parse_treatment({"exposure": {"ev": 0.5}}))
        for bad in ({"exposure": {"ev": 99}}, {"sparkle": {}}, {"version": 9}):
            with self.assertRaises(InvalidTreatment):
                self.do(change_treatment, bad, self.here(), "bad")

    def test_long_labels_are_cut_and_times_are_kept(self):
        began = time.time()
        self.do(change_treatment, {}, self.here(), "x" * 500)
        with self.database.session() as session:
            revision = session.get_one(Revision, self.here())
            self.assertEqual(len(revision.label), 200)
            self.assertAlmostEqual(revision.created.timestamp(), began, delta=30)

    def test_changes_of_what_was_stored_are_stored(self):
        self.change(1.0)
        self.do(change_treatment, [Change(path=["exposure", "ev"], value=2.5)], self.here(), "Exposure")
        self.assertEqual(self.do(redo), 2.5)
        self.assertEqual(self.do(undo), 1.0)
        self.assertEqual(self.do(redo), 2.5)
        for bad, fault in (
            (["sparkle", "ev"], UnknownPlace),
            (["areas", "gone", "name"], UnknownPlace),
            (["exposure", "sparkle"], InvalidTreatment),
            (["exposure", "ev"], InvalidTreatment),
        ):
            with self.subTest(path=bad), self.assertRaises(fault):
                self.do(change_treatment, [Change(path=bad, value="x")], self.here(), "bad")
        self.assertEqual(self.do(redo), 2.5)

    def test_places_follow_the_scene_through_other_merges_and_back(self):
        def report(size: list[int], offset: list[int], frame: str = "one") -> dict:
            maps = {"two" if frame == "one" else "one": [1, 0, 30 if frame == "one" else -30, 0, 1, 0, 0, 0, 1]}
            return {"basis": {"frame": frame, "size": size, "offset": offset}, "maps": maps}

        def merged(told: dict) -> np.ndarray:
            """Where on frame one the crop and the ellipse stand, once the scene is merged that way, in pixels."""
            with self.database.session() as session:
                scene = session.get_one(Scene, self.scene)
                scene.report = told
                session.commit()
                found = current_treatment(session, scene)
            basis = found.basis
            self.assertEqual(basis.model_dump(), told["basis"])
            places = np.array([found.crop.centre, found.areas[0].parts[0].centre])
            return places * max(basis.size) + basis.offset + ([-30, 0] if basis.frame == "two" else [0, 0])

        whole, cut = report([1200, 800], [0, 0]), report([1140, 760], [60, 40])
        other = report([1200, 800], [0, 0], "two")
        merged_first = {"basis": whole["basis"], "crop": {"centre": [0.4, 0.3]}}
        area = {"parts": [{"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.2, 0.1]}]}
        with self.database.session() as session:
            session.get_one(Scene, self.scene).report = whole
            session.commit()
        self.do(change_treatment, merged_first | {"areas": [area]}, self.here(), "An area")
        stood = merged(whole)
        np.testing.assert_allclose(stood, [[480, 360], [600, 360]])
        for told in (cut, other, whole, cut):
            np.testing.assert_allclose(merged(told), stood, atol=0.01)
        # What is changed on the cut picture is stored as it stands there; undo and redo go across.
        self.do(change_treatment, [Change(path=["exposure", "ev"], value=1.0)], self.here(), "Exposure")
        np.testing.assert_allclose(merged(other), stood, atol=0.01)
        self.do(undo)
        np.testing.assert_allclose(merged(cut), stood, atol=0.01)
        self.do(redo)
        np.testing.assert_allclose(merged(whole), stood, atol=0.01)

    def test_a_dial_turned_beside_many_strokes_stores_little(self):
        stroke = {"points": [8000, 4000, *[3, -2] * 99], "radius": 0.02}
        brushes = [{"parts": [{"kind": "brush", "strokes": [stroke] * 500}], "bends": {"exposure.ev": 1}}] * 4
        self.do(change_treatment, {"areas": brushes}, self.here(), "Brushes")

        def stored(session) -> int:
            return sum(
                session.execute(text(f"SELECT COALESCE(sum(pg_column_size(t.*)), 0) FROM {table} t")).scalar_one()
                for table in ("section", "revision")
            )

        with self.database.session() as session:
            before = stored(session)
        for n in range(100):
            change = Change(path=["exposure", "ev"], value=n / 100)
            if n % 2:
                change = Change(path=["areas", "a2", "bends", "exposure.ev"], value=n / 100)
            self.do(change_treatment, [change], self.here(), "Exposure")
        with self.database.session() as session:
            self.assertLess(stored(session) - before, 100_000)
            found = current_treatment(session, session.get_one(Scene, self.scene))
        self.assertEqual(len(found.areas[3].parts[0].strokes), 500)
        self.assertEqual((found.exposure.ev, found.areas[1].bends["exposure.ev"]), (0.98, 0.99))
