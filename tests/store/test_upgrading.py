"""A library of an earlier version opens as it was: revisions are parted, and get a take and a basis."""

import json

import psycopg
from alembic import command
from alembic.config import Config

from crenn.core.basis import Basis
from crenn.store.database import Database, sqlalchemy_url
from crenn.store.models import Scene
from crenn.store.treatments import current_treatment, redo, steps_possible, undo
from tests.support import FolderCase, blank_database

_STROKES = [{"points": [8000 + n, 4000, 10, 10], "radius": 0.02} for n in range(100)]
_FIRST = {"version": 4, "crop": {"centre": [0.4, 0.3], "width": 0.5}, "areas": []}
_SECOND = _FIRST | {
    "exposure": {"ev": 1.5},
    "areas": [{"name": "Painted", "parts": [{"kind": "brush", "strokes": _STROKES}], "bends": {"exposure.ev": 0.5}}],
}
_REPORT = {
    "reference": 1,
    "width": 1140,
    "height": 760,
    "source_indices": [0, 1],
    "frames": [{"name": "a.dng"}, {"name": "b.dng"}],
    "capture": {"part": [0.05, 0.05, 0.95, 0.95]},
}


class Upgrading(FolderCase):
    def setUp(self):
        super().setUp()
        self.url = blank_database()
        self.upgrade("0005")
        with psycopg.connect(self.url, autocommit=True) as connection:
            run = connection.execute
            run("INSERT INTO shoot (id, name, created) VALUES (1, 's', now())")
            for scene, report in ((1, json.dumps(_REPORT)), (2, None)):
                run(
                    "INSERT INTO scene (id, shoot_id, title, report, instructions, created)"
                    " VALUES (%s, 1, 't', %s, '{}', now())",
                    (scene, report),
                )
            for number, name in enumerate(("a.dng", "b.dng")):
                run(
                    "INSERT INTO frame (id, scene_id, name, content_hash, ending, bytes, width, height, iso, camera,"
                    " lens, clipped_share, included, kind, kind_chosen, time_typed)"
                    " VALUES (%s, 1, %s, %s, '.dng', 1, 1200,"
                    " 800, 100, '', '', 0, true, 'light', false, false)",
                    (number + 1, name, f"hash of {name}"),
                )
            for number, (scene, parent, document) in enumerate(((1, None, _FIRST), (1, 1, _SECOND), (2, None, {}))):
                run(
                    "INSERT INTO revision (id, scene_id, parent_id, document, label, created)"
                    " VALUES (%s, %s, %s, %s, 'x', now())",
                    (number + 1, scene, parent, json.dumps(document)),
                )
            run("UPDATE scene SET revision_id = id + 1")
        self.upgrade("head")
        self.database = Database(self.url)
        self.addCleanup(self.database.close)

    def upgrade(self, revision: str) -> None:
        config = Config()
        config.set_main_option("script_location", "crenn:store/migrations")
        config.attributes["url"] = sqlalchemy_url(self.url)
        command.upgrade(config, revision)

    def test_treatments_are_what_they_were(self):
        with self.database.session() as session:
            scene = session.get_one(Scene, 1)
            found = current_treatment(session, scene)
            self.assertEqual((found.exposure.ev, found.crop.width, found.noise.on), (1.5, 0.5, True))
            self.assertEqual([s.points for s in found.areas[0].parts[0].strokes], [s["points"] for s in _STROKES])
            self.assertEqual(found.basis, Basis(frame="hash of b.dng", size=[1140, 760], offset=[60, 40]))
            self.assertEqual(steps_possible(session, scene), (True, False))
            undo(session, 1)
            self.assertIsNone(current_treatment(session, scene).exposure.ev)
            redo(session, 1)
            self.assertEqual(current_treatment(session, scene), found)

    def test_a_scene_that_was_never_merged_has_a_take_as_well(self):
        with self.database.session() as session:
            scene = session.get_one(Scene, 2)
            self.assertEqual(scene.take.name, "First take")
            self.assertIsNone(current_treatment(session, scene).basis)

    def test_a_merge_with_other_borders_moves_what_was_stored_before(self):
        with self.database.session() as session:
            scene = session.get_one(Scene, 1)
            basis = {"frame": "hash of b.dng", "size": [1200, 800], "offset": [0, 0]}
            scene.report = {"basis": basis, "maps": {}}
            found = current_treatment(session, scene)
            self.assertAlmostEqual(found.crop.centre[0] * 1200, 0.4 * 1140 + 60)
            self.assertAlmostEqual(found.crop.width * 1200, 0.5 * 1140)
