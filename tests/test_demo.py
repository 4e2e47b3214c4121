"""The Tarrowick demo: shot once a library, gone on with where an earlier start ended, kept out of others' libraries."""

from pathlib import Path
from unittest import mock

from sqlalchemy import select

from crenn.core.errors import CrennError
from crenn.core.frames.read import read_frame
from crenn.demo import load_demo
from crenn.store.models import Job, Shoot
from tests.support import FolderCase, fresh_database

SCENES = ("kiln-yard", "lock-basin")


class Demo(FolderCase):
    def setUp(self):
        super().setUp()
        self.database = fresh_database()
        self.addCleanup(self.database.close)
        for name, value in (("SHIPPED_SIZE", (120, 80)), ("SCENES", SCENES)):
            patch = mock.patch(f"crenn.demo.{name}", value)
            patch.start()
            self.addCleanup(patch.stop)
        patch = mock.patch("builtins.print")
        patch.start()
        self.addCleanup(patch.stop)

    def load(self) -> list[Job]:
        load_demo(self.database, self.folder / "demo")
        with self.database.session() as session:
            return list(session.execute(select(Job).order_by(Job.id)).scalars())

    def test_each_scene_is_shot_and_its_import_queued_once(self):
        jobs = self.load()
        self.assertEqual([j.kind for j in jobs], ["import"] * 2)
        for job in jobs:
            frames = [read_frame(Path(file)) for file in job.options["files"]]
            self.assertGreaterEqual(len({f.metadata.seconds for f in frames}), 3, job.options["title"])
        self.assertEqual(len(self.load()), 2)

    def test_a_start_that_was_cut_short_is_gone_on_with(self):
        from crenn.camera.shoot import shoot

        def ends_at_the_second(name, *rest, **more):
            if name == SCENES[1]:
                raise CrennError("The disk is full.")
            return shoot(name, *rest, **more)

        with mock.patch("crenn.demo.shoot", ends_at_the_second), self.assertRaisesRegex(CrennError, "full"):
            self.load()
        jobs = self.load()
        self.assertEqual(len({j.options["title"] for j in jobs}), 2)
        self.assertEqual(len(jobs), 2)

    def test_a_library_with_shoots_of_its_own_is_left_alone(self):
        with self.database.session() as session:
            session.add(Shoot(name="Harbour, October"))
            session.commit()
        self.assertEqual(self.load(), [])
        self.assertFalse((self.folder / "demo").exists())
