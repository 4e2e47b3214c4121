"""History, marks and takes of a scene: nothing is lost, and how it is merged is part of it."""

from datetime import timedelta

from sqlalchemy import select

from crenn.core.errors import CrennError, Missing
from crenn.store import history, takes, treatments
from crenn.store.merging import Merging, note_merging
from crenn.store.models import Frame, Revision, Scene, Shoot
from tests.support import FolderCase, fresh_database


class History(FolderCase):
    def setUp(self):
        super().setUp()
        self.database = fresh_database()
        self.addCleanup(self.database.close)
        self.session = self.database.session()
        self.addCleanup(self.session.close)
        frame = Frame(
            name="a.dng", content_hash="1" * 64, ending="dng", bytes=1, width=6, height=4, iso=100.0, camera="", lens=""
        )
        self.scene = Scene(title="t", frames=[frame], instructions={"align": True})
        self.session.add(Shoot(name="s", scenes=[self.scene, other := Scene(title="u")]))
        self.session.flush()
        for scene in (self.scene, other):
            treatments.start_treatment(self.session, scene)
        self.session.flush()
        self.other = other

    @property
    def here(self) -> int:
        return self.scene.take.revision_id

    @property
    def exposure(self) -> float:
        return treatments.current_treatment(self.session, self.scene).exposure.ev

    def change(self, ev: float, label: str = "Exposure") -> int:
        document = {"exposure": {"ev": ev}}
        return treatments.change_treatment(self.session, self.scene.id, document, self.here, label).id

    def told(self) -> list[tuple]:
        return [(e.label, e.place, e.here) for e in history.history(self.session, self.scene)]

    def test_every_change_is_told_with_its_station_and_moves_of_one_dial_are_one(self):
        self.change(1.0)
        self.change(1.5)
        last = self.change(2.0)
        document = {"exposure": {"ev": 2.0}, "hues": {"ranges": []}, "saturation": {"saturation": 1.2}}
        treatments.change_treatment(self.session, self.scene.id, document, last, "Saturation")
        start, exposure, saturation = history.history(self.session, self.scene)
        self.assertEqual((start.label, start.station, start.here), ("Start", None, False))
        self.assertEqual((exposure.revision, exposure.moves, exposure.station), (last, 3, "light"))
        self.assertEqual((saturation.station, saturation.here, saturation.moves), ("colour", True, 1))
        # What lies longer apart is not one move.
        row = self.session.get_one(Revision, last)
        row.created += timedelta(hours=1)
        self.session.flush()
        self.assertEqual([e.moves for e in history.history(self.session, self.scene)], [1, 2, 1, 1])

    def test_back_to_a_state_keeps_what_came_after_and_is_undone(self):
        first, _ = self.change(1.0, "One"), self.change(2.0, "Two")
        history.back_to(self.session, self.scene.id, first, "Back to One")
        self.assertEqual(self.exposure, 1.0)
        self.assertEqual([label for label, _, _ in self.told()], ["Start", "One", "Two", "Back to One"])
        treatments.undo(self.session, self.scene.id)
        self.assertEqual(self.exposure, 2.0)
        self.assertEqual(self.told()[-2:], [("Two", "done", True), ("Back to One", "ahead", False)])
        self.change(3.0, "Three")
        self.assertEqual(self.told()[-2:], [("Back to One", "branch", False), ("Three", "done", True)])
        self.assertEqual(history.state(self.session, self.scene, first).exposure.ev, 1.0)
        for wrong in (10**6, self.other.take.revision_id):
            with self.assertRaises(Missing):
                history.back_to(self.session, self.scene.id, wrong, "Back")
            with self.assertRaises(Missing):
                history.state(self.session, self.scene, wrong)

    def test_marks_are_kept_replaced_and_forgotten(self):
        first = self.change(1.0, "One")
        self.assertEqual(history.keep(self.session, self.scene.id, "good").revision_id, first)
        second = self.change(2.0, "Two")
        history.keep(self.session, self.scene.id, "better", second)
        entries = history.history(self.session, self.scene)
        self.assertEqual([list(e.marks) for e in entries], [[], ["good"], ["better"]])
        history.keep(self.session, self.scene.id, "good")
        self.assertEqual(list(history.history(self.session, self.scene)[-1].marks), ["good", "better"])
        history.forget(self.session, self.scene.id, "better")
        with self.assertRaisesRegex(Missing, "better"):
            history.forget(self.session, self.scene.id, "better")
        with self.assertRaises(Missing):
            history.keep(self.session, self.scene.id, "strange", self.other.take.revision_id)

    def test_takes_have_histories_of_their_own(self):
        first = self.change(1.0, "One")
        self.change(2.0, "Two")
        own = self.scene.take
        other = takes.new_take(self.session, self.scene.id, "Warm", first)
        self.assertEqual((self.scene.take_id, self.exposure), (other.id, 1.0))
        self.change(-1.0, "Dark")
        # It knows what it was made from, and what it did, not what the other did meanwhile.
        self.assertEqual([label for label, _, _ in self.told()], ["Start", "One", "Take “Warm” begun", "Dark"])
        for _ in range(3):
            treatments.undo(self.session, self.scene.id)
        self.assertEqual(self.exposure, 1.0)
        self.assertEqual(treatments.steps_possible(self.session, self.scene), (False, True))
        treatments.redo(self.session, self.scene.id)
        takes.choose(self.session, self.scene.id, own.id)
        self.assertEqual(self.exposure, 2.0)
        self.assertEqual(treatments.steps_possible(self.session, self.scene), (True, False))
        self.assertEqual(takes.treatment_of_take(self.session, self.scene, other).exposure.ev, -1.0)
        with self.assertRaisesRegex(CrennError, "Warm"):
            takes.new_take(self.session, self.scene.id, "Warm")
        takes.rename(self.session, self.scene.id, other.id, "Cold")
        self.assertEqual(takes.take_named(self.session, self.scene, "Cold").id, other.id)
        with self.assertRaisesRegex(CrennError, "worked on"):
            takes.remove(self.session, self.scene.id, own.id)
        takes.remove(self.session, self.scene.id, other.id)
        self.assertEqual([t.id for t in takes.takes_of(self.session, self.scene)], [own.id])
        with self.assertRaisesRegex(Missing, "Cold"):
            takes.take_named(self.session, self.scene, "Cold")
        with self.assertRaises(Missing):
            takes.choose(self.session, self.other.id, own.id)

    def merge_otherwise(self, change) -> None:
        before = Merging.of(self.scene)
        change()
        self.session.flush()
        note_merging(self.session, self.scene, before)

    def test_how_it_is_merged_is_a_part_of_it(self):
        self.change(1.0, "One")
        parent = self.here

        def leave_out():
            self.scene.frames[0].included = False

        def as_it_lies():
            self.scene.instructions = {"align": False}

        self.merge_otherwise(leave_out)
        self.merge_otherwise(as_it_lies)
        self.merge_otherwise(lambda: None)
        self.assertEqual([label for label, _, _ in self.told()], ["Start", "One", "A frame left out", "Alignment"])
        self.assertEqual([e.station for e in history.history(self.session, self.scene)][2:], ["merge", "merge"])
        # A page that knows of the treatment alone goes on from what it has.
        treatments.change_treatment(self.session, self.scene.id, {"exposure": {"ev": 2.0}}, parent, "Two")
        treatments.undo(self.session, self.scene.id)
        self.assertFalse(self.scene.instructions["align"])
        treatments.undo(self.session, self.scene.id)
        self.assertEqual((self.scene.instructions["align"], self.scene.frames[0].included), (True, False))
        treatments.undo(self.session, self.scene.id)
        self.assertTrue(self.scene.frames[0].included)
        treatments.redo(self.session, self.scene.id)
        treatments.redo(self.session, self.scene.id)
        self.assertEqual((self.scene.instructions["align"], self.scene.frames[0].included), (False, False))
        history.back_to(self.session, self.scene.id, parent, "Back to One")
        self.assertEqual((self.scene.instructions["align"], self.scene.frames[0].included), (True, True))
        treatments.undo(self.session, self.scene.id)
        self.assertEqual((self.scene.instructions["align"], self.scene.frames[0].included), (False, False))
        self.assertEqual(self.session.execute(select(Frame.included)).scalar_one(), False)
