"""Jobs and their tasks: made together, found again when lost, ended whatever happens."""

import os
import threading
import time

from sqlalchemy import select, text
from sqlalchemy.exc import OperationalError

from crenn.core.errors import Cancelled, CrennError, Missing
from crenn.jobs.queue import DEAD_AFTER, MOST_ATTEMPTS, add_job, cancel, defer, put_back, reconcile
from crenn.jobs.recovery import LISTED, Sweeper, recover_on_start
from crenn.jobs.running import RunningJob, Superseded
from crenn.store.library import Library
from crenn.store.models import Job, Scene, Shoot
from crenn.store.treatments import start_treatment
from tests.support import FolderCase, fresh_database, own_server


class QueueCase(FolderCase):
    def setUp(self):
        super().setUp()
        self.database, self.library = fresh_database(), Library(self.folder / "library")
        self.addCleanup(self.database.close)

    def job(self, job_id: int) -> Job:
        with self.database.session() as session:
            return session.get_one(Job, job_id)

    def tasks(self, job_id: int) -> list[str]:
        """States of the tasks that would run a job."""
        with self.database.session() as session:
            return [
                row[0]
                for row in session.execute(
                    text("SELECT status::text FROM procrastinate_jobs WHERE args ->> 'job_id' = :id ORDER BY id"),
                    {"id": str(job_id)},
                )
            ]

    def run_sql(self, statement: str, **values) -> None:
        with self.database.session() as session:
            session.execute(text(statement), values)
            session.commit()

    def scene(self) -> int:
        with self.database.session() as session:
            shoot = Shoot(name="s")
            session.add(shoot)
            session.flush()
            scene = Scene(shoot_id=shoot.id, title="t")
            session.add(scene)
            session.flush()
            start_treatment(session, scene)
            session.commit()
            return scene.id

    def begin(self, job_id: int) -> RunningJob:
        return RunningJob(self.database, self.library, job_id)


class Transactions(QueueCase):
    def test_a_job_and_its_task_come_true_together_or_not_at_all(self):
        with self.database.session() as session:
            job = add_job(session, "deliver")
            job_id = job.id
            session.rollback()
        self.assertEqual(self.tasks(job_id), [])
        job_id = defer(self.database, "deliver")
        self.assertEqual(self.tasks(job_id), ["todo"])

    def test_a_merge_that_waits_is_not_queued_twice(self):
        scene = self.scene()
        first = defer(self.database, "merge", scene_id=scene)
        self.assertEqual(defer(self.database, "merge", scene_id=scene), first)
        self.assertEqual(self.tasks(first), ["todo"])

    def test_a_merge_whose_task_was_lost_does_not_block_the_scene_for_ever(self):
        scene = self.scene()
        first = defer(self.database, "merge", scene_id=scene)
        self.run_sql("DELETE FROM procrastinate_jobs")
        self.assertEqual(reconcile(self.database), 1)
        self.assertEqual((self.job(first).state, self.tasks(first)), ("waiting", ["todo"]))


class Reconciled(QueueCase):
    def test_what_is_well_stays_as_it_is(self):
        waiting = defer(self.database, "deliver")
        before = self.job(waiting).task_id
        self.assertEqual(reconcile(self.database), 0)
        self.assertEqual(self.job(waiting).task_id, before)

    def test_a_job_whose_task_failed_or_whose_worker_died_comes_back(self):
        for task_state, beat in (("failed", None), ("succeeded", None), ("doing", None), ("doing", DEAD_AFTER + 5)):
            with self.subTest(task_state=task_state, beat=beat):
                job_id = defer(self.database, "deliver")
                self.begin(job_id)
                self.run_sql(
                    "UPDATE procrastinate_jobs SET status = CAST(:s AS procrastinate_job_status) WHERE id = :t",
                    s=task_state,
                    t=self.job(job_id).task_id,
                )
                if beat is not None:
                    self.run_sql(
                        "INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - make_interval(secs => :b))",
                        b=beat,
                    )
                    self.run_sql(
                        "UPDATE procrastinate_jobs SET worker_id = (SELECT max(id) FROM procrastinate_workers) "
                        "WHERE id = :t",
                        t=self.job(job_id).task_id,
                    )
                self.assertEqual(reconcile(self.database), 1)
                self.assertEqual((self.job(job_id).state, self.tasks(job_id)), ("waiting", ["todo"]))
                cancel(self.database, job_id)

    def test_a_job_of_a_living_worker_is_left_alone(self):
        job_id = defer(self.database, "deliver")
        self.begin(job_id)
        self.run_sql("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now())")
        self.run_sql(
            "UPDATE procrastinate_jobs SET status = 'doing', worker_id = (SELECT max(id) FROM procrastinate_workers)"
        )
        self.assertEqual(reconcile(self.database), 0)
        cancel(self.database, job_id)
        self.assertEqual((self.job(job_id).state, self.job(job_id).cancelling), ("running", True), "its worker ends it")

    def test_a_job_that_ends_its_worker_ends_as_failed_and_names_the_file(self):
        scene = self.scene()
        job_id = defer(self.database, "merge", scene_id=scene)
        for _attempt in range(MOST_ATTEMPTS):
            running = self.begin(job_id)
            self.assertFalse(running.skip)
            running.progress.at(0.1, "Reading fatal.dng")
            self.run_sql("UPDATE procrastinate_jobs SET status = 'doing', worker_id = NULL")
            reconcile(self.database)
        job = self.job(job_id)
        self.assertEqual(job.state, "failed")
        self.assertIn("3 times", job.fault)
        self.assertIn("Reading fatal.dng", job.fault)
        with self.database.session() as session:
            self.assertEqual(session.get_one(Scene, scene).fault, job.fault)
        self.assertEqual(self.tasks(job_id), [])

    def test_a_task_begun_once_too_often_ends_as_failed_as_well(self):
        job_id = defer(self.database, "deliver")
        for _ in range(MOST_ATTEMPTS):
            self.begin(job_id)
        last = self.begin(job_id)
        self.assertTrue(last.skip)
        self.assertEqual(self.job(job_id).state, "failed")


class Ending(QueueCase):
    def test_faults_become_words(self):
        for fault, state, words in (
            (CrennError("is broken.", "a.dng"), "failed", "a.dng: is broken."),
            (Cancelled("x"), "cancelled", None),
            (MemoryError(), "failed", "memory"),
            (ZeroDivisionError("x"), "failed", "ZeroDivisionError"),
        ):
            with self.subTest(fault=type(fault).__name__):
                job_id = defer(self.database, "deliver")
                with self.assertLogs("crenn.jobs.running"), self.begin(job_id):
                    raise fault
                self.assertEqual(self.job(job_id).state, state)
                if words:
                    self.assertIn(words, self.job(job_id).fault)

    def test_a_fault_of_the_database_puts_the_job_back_and_does_not_count(self):
        job_id = defer(self.database, "deliver")
        for _ in range(MOST_ATTEMPTS + 2):
            with self.begin(job_id) as running:
                self.assertFalse(running.skip)
                raise OperationalError("x", {}, Exception("gone"))
            self.assertEqual((self.job(job_id).state, self.tasks(job_id)), ("waiting", ["todo"]))

    def test_the_end_waits_for_the_database(self):
        server, self.database = own_server(self)
        job_id, ended = defer(self.database, "deliver"), threading.Event()
        port = server.port
        with self.begin(job_id) as running:
            server.stop()
            try:
                running.progress.at(0.5, "Rendering")
                work = threading.Thread(target=lambda: (running.done({"bytes": 5}), ended.set()))
                work.start()
                time.sleep(1.2)
                self.assertFalse(ended.is_set(), "there is nobody to tell yet")
            finally:
                server.start(port)
            work.join(20)
        self.assertEqual((self.job(job_id).state, self.job(job_id).result), ("done", {"bytes": 5}))

    def test_a_job_taken_over_by_another_is_let_go(self):
        job_id = defer(self.database, "deliver")
        with self.begin(job_id) as slow:
            with self.database.session() as session:
                put_back(session, session.get_one(Job, job_id))
                session.commit()
            with self.assertRaises(Superseded):
                slow.progress.at(0.5, "Rendering")
            raise Superseded
        self.assertEqual((self.job(job_id).state, self.tasks(job_id)), ("waiting", ["todo"]))

    def test_a_task_that_was_replaced_has_nothing_to_do(self):
        job_id = defer(self.database, "deliver")
        stale = self.job(job_id).task_id
        self.run_sql("DELETE FROM procrastinate_jobs")
        reconcile(self.database)
        self.assertTrue(RunningJob(self.database, self.library, job_id, stale).skip)
        self.assertFalse(RunningJob(self.database, self.library, job_id, self.job(job_id).task_id).skip)

    def test_leftovers_go_when_the_job_ends_and_stay_when_it_is_put_back(self):
        for fault, stays in (
            (None, False),
            (CrennError("x"), False),
            (OperationalError("x", {}, Exception("gone")), True),
        ):
            with self.subTest(fault=fault):
                job_id = defer(self.database, "deliver")
                folder = self.library.incoming(f"upload{job_id}")
                folder.mkdir()
                with self.begin(job_id) as running:
                    running.leftovers.append(folder)
                    if fault:
                        raise fault
                    running.done()
                self.assertEqual(folder.exists(), stays)


class Cancelling(QueueCase):
    def test_what_waits_ends_at_once(self):
        job_id = defer(self.database, "deliver")
        cancel(self.database, job_id)
        self.assertEqual((self.job(job_id).state, self.tasks(job_id)), ("cancelled", []))

    def test_what_nobody_works_on_ends_at_once(self):
        job_id = defer(self.database, "deliver")
        self.begin(job_id)
        self.run_sql("UPDATE procrastinate_jobs SET status = 'failed'")
        cancel(self.database, job_id)
        self.assertEqual(self.job(job_id).state, "cancelled")

    def test_what_is_worked_on_ends_at_its_next_step(self):
        job_id = defer(self.database, "deliver")
        with self.begin(job_id) as running:
            self.run_sql("UPDATE job SET cancelling = true")
            running.progress.at(0.5, "Rendering")
            self.fail("it went on")
        self.assertEqual(self.job(job_id).state, "cancelled")

    def test_a_cancelled_job_that_is_taken_over_is_not_done_again(self):
        job_id = defer(self.database, "deliver")
        self.begin(job_id)
        self.run_sql("UPDATE job SET cancelling = true")
        self.assertTrue(self.begin(job_id).skip)
        self.assertEqual(self.job(job_id).state, "cancelled")

    def test_a_new_merge_does_not_wait_for_noise_of_the_old_light(self):
        scene = self.scene()
        waiting = defer(self.database, "noise", scene)
        merge = defer(self.database, "merge", scene)
        self.assertEqual((self.job(waiting).state, self.job(merge).state), ("cancelled", "waiting"))
        self.assertEqual(len(self.tasks(merge)), 1)
        # Nothing was merged yet: a merge that is called off leaves nothing to do.
        cancel(self.database, merge)
        self.assertEqual(self.noise_waiting(scene), 0)
        self.run_sql("UPDATE scene SET prepared = '1-1' WHERE id = :scene", scene=scene)
        cancel(self.database, defer(self.database, "merge", scene))
        self.assertEqual(self.noise_waiting(scene), 1)

    def noise_waiting(self, scene: int) -> int:
        with self.database.session() as session:
            found = select(Job).where(Job.scene_id == scene, Job.kind == "noise", Job.state == "waiting")
            return len(session.execute(found).scalars().all())

    def test_what_is_not_known(self):
        with self.assertRaises(Missing):
            cancel(self.database, 4711)


class Swept(QueueCase):
    def test_what_is_in_use_stays_and_the_rest_goes(self):
        scene = self.scene()
        merging = defer(self.database, "merge", scene_id=scene)
        importing = defer(self.database, "import", options={"files": [], "upload": "awaited"})
        shooting = defer(self.database, "shoot")
        ended = defer(self.database, "import", options={"files": [], "upload": "done"})
        cancel(self.database, ended)
        self.run_sql("UPDATE scene SET prepared = '7-7'")
        for name in ("7-7", "7-6", f"{scene}-{merging}.part", "9-9.part"):
            (self.library.folder / "scenes" / name).mkdir()
        for name in ("awaited", "done", "lost", f"camera-{shooting}", "camera-999"):
            (self.library.incoming(name) / "000").mkdir(parents=True)
        fresh, old = self.library.folder / "pictures" / ".part-a.jpg", self.library.folder / "originals" / ".part-b.dng"
        for path in (fresh, old):
            path.write_bytes(b"x")
        os.utime(old, (1, 1))
        self.assertEqual(recover_on_start(self.database, self.library), 6)
        left = {p.name for n in ("scenes", "incoming") for p in (self.library.folder / n).iterdir()}
        self.assertEqual(left, {"7-7", f"{scene}-{merging}.part", "awaited", f"camera-{shooting}"})
        self.assertTrue(fresh.exists())
        self.assertFalse(old.exists())
        self.assertEqual(self.job(importing).state, "waiting")

    def test_meanwhile_only_what_is_old_goes_and_deliveries_that_are_listed_no_more(self):
        scene = self.scene()
        jobs = [defer(self.database, "deliver", scene_id=scene) for _ in range(LISTED + 3)]
        for job in jobs:
            self.library.delivery(job, "jpg").write_bytes(b"x")
        for name in ("7-6", "9-9.part"):
            (self.library.folder / "scenes" / name).mkdir()
        (self.library.incoming("arriving") / "000").mkdir(parents=True)
        self.assertEqual(Sweeper(self.database, self.library).sweep(), 0)
        for path in self.library.folder.rglob("*"):
            os.utime(path, (1, 1))
        self.assertEqual(Sweeper(self.database, self.library).sweep(), 2 + 3)
        left = sorted(int(p.stem) for p in (self.library.folder / "deliveries").iterdir())
        self.assertEqual(left, jobs[3:])
        self.assertTrue(self.library.incoming("arriving").exists())
