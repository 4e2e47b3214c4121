"""Revisions of a scene's treatment: only ever added to; undo and redo move along them; a stale tab is told."""

import threading
import time

from sqlalchemy import func, select

from crenn.core.errors import InvalidTreatment
from crenn.core.treatment import STEPS
from crenn.store.models import Revision, Scene, Shoot
from crenn.store.treatments import (
    StaleRevision,
    change_treatment,
    keep_in_place,
    redo,
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
                revision = Revision(scene_id=scene.id, document={}, label="Start")
                session.add(revision)
                session.flush()
                scene.revision_id = revision.id
            session.commit()
            self.scene, self.other = (s.id for s in shoot.scenes)

    def do(self, action, *values, scene: int | None = None):
        """Do something in a transaction of its own; the treatment's exposure after it."""
        with self.database.session() as session:
            revision = action(session, scene or self.scene, *values)
            session.commit()
            return revision.document.get("exposure", {}).get("ev")

    def here(self, scene: int | None = None) -> int:
        with self.database.session() as session:
            return session.get_one(Scene, scene or self.scene).revision_id

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
            kept = [r.document.get("exposure", {}).get("ev") for r in session.execute(select(Revision)).scalars()]
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

    def test_what_is_stored_is_the_whole_checked_document(self):
        self.change(0.5)
        with self.database.session() as session:
            document = session.get_one(Revision, self.here()).document
        self.assertEqual(document["version"], 4)
        self.assertEqual(set(document), {"format", "version", "areas", *(step.name for step in STEPS)})
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

    def test_areas_stay_in_place_when_a_merge_shows_another_part(self):
        def report(width: int, height: int, part: list[float]) -> dict:
            return {"width": width, "height": height, "capture": {"part": part}}

        area = {"parts": [{"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.2, 0.1]}]}
        self.do(change_treatment, {"areas": [area]}, self.here(), "An area")
        before = self.here()
        with self.database.session() as session:
            scene = session.get_one(Scene, self.scene)
            scene.report = report(1200, 800, [0, 0, 1, 1])
            keep_in_place(session, scene, report(1200, 800, [0, 0, 1, 1]))
            self.assertEqual(scene.revision_id, before)
            keep_in_place(session, scene, report(1140, 760, [0.05, 0.05, 0.95, 0.95]))
            session.commit()
            document = session.get_one(Revision, scene.revision_id).document
        centre = document["areas"][0]["parts"][0]["centre"]
        self.assertAlmostEqual(centre[0] * 1140 + 60, 600, places=3)
        self.assertAlmostEqual(centre[1] * 1140 + 40, 360, places=3)
        self.do(undo)
        self.assertEqual(self.here(), before)
