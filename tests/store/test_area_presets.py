"""Presets of areas in the database: kept, replaced, forgotten, beside those that ship."""

from crenn.core.area_presets import read_areas, shipped_presets
from crenn.core.errors import CrennError, Missing
from crenn.demo import finished
from crenn.store import area_presets
from tests.support import FolderCase, fresh_database

DOCUMENT = read_areas({"format": "crenn-areas", "areas": [{"parts": [{"kind": "found", "what": "sky"}]}]})


class Presets(FolderCase):
    def setUp(self):
        super().setUp()
        self.database = fresh_database()
        self.addCleanup(self.database.close)

    def test_they_are_there_again_in_another_session(self):
        with self.database.session() as session:
            area_presets.keep_preset(session, "Dusk", DOCUMENT)
            session.commit()
        with self.database.session() as session:
            found = area_presets.presets(session)
        self.assertEqual(found[0], ("Dusk", DOCUMENT, True))
        self.assertEqual([name for name, _, own in found if not own], list(shipped_presets()))

    def test_there_is_an_end_to_them(self):
        with self.database.session() as session:
            for i in range(area_presets.MOST):
                area_presets.keep_preset(session, f"Preset {i}", DOCUMENT)
            session.flush()
            area_presets.keep_preset(session, "Preset 7", DOCUMENT)
            with self.assertRaisesRegex(CrennError, "Forget one"):
                area_presets.keep_preset(session, "One more", DOCUMENT)

    def test_what_is_not_kept_cannot_be_forgotten(self):
        with self.database.session() as session, self.assertRaisesRegex(Missing, "Calm lamps"):
            area_presets.forget_preset(session, "Calm lamps")

    def test_finished_pictures_of_tarrowick_have_areas(self):
        found = finished()
        self.assertEqual(len(found), 5)
        for title, document in found.items():
            with self.subTest(title=title):
                self.assertGreaterEqual(len(document.areas), 3)
