"""Threads that render: scenes beside each other, each in the order of asking."""

import threading
import time
import unittest
from concurrent.futures import CancelledError
from typing import cast

import numba as nb

from crenn.api.renderers import Renderers
from crenn.store.library import Library


class Threads(unittest.TestCase):
    def setUp(self):
        # What is done here opens no scene.
        self.renderers = Renderers(cast(Library, None), at_once=2)
        self.addCleanup(self.renderers.close)

    def test_what_is_asked_of_a_scene_is_done_in_order_by_one_thread_at_a_time(self):
        begun: list[int] = []
        at_once, most = 0, 0

        def work(number: int) -> int:
            nonlocal at_once, most
            at_once += 1
            most = max(most, at_once)
            begun.append(number)
            time.sleep(0.01)
            at_once -= 1
            return 2 * number

        answers = [self.renderers.submit("1-1", lambda n=n: work(n)) for n in range(8)]
        self.assertEqual([a.result(10) for a in answers], [2 * n for n in range(8)])
        self.assertEqual((begun, most), (list(range(8)), 1))

    def test_two_scenes_are_worked_on_beside_each_other_and_share_out_the_processors(self):
        meet, threads = threading.Barrier(2), []

        def work() -> None:
            meet.wait(10)
            threads.append(nb.get_num_threads())

        first = [self.renderers.submit(scene, work) for scene in ("1-1", "2-1")]
        for answer in first:
            answer.result(10)
        # When the first began there was no other yet.
        self.assertEqual(min(threads), max(nb.config.NUMBA_NUM_THREADS // 2, 1))
        alone = self.renderers.submit("1-1", nb.get_num_threads).result(10)
        self.assertEqual(alone, nb.config.NUMBA_NUM_THREADS)

    def test_a_fault_is_the_askers_and_the_scene_goes_on(self):
        def fail() -> None:
            raise ZeroDivisionError("a defect")

        answers = self.renderers.submit("1-1", fail), self.renderers.submit("1-1", lambda: "well")
        self.assertRaises(ZeroDivisionError, answers[0].result, 10)
        self.assertEqual(answers[1].result(10), "well")

    def test_what_is_about_no_scene_is_done_by_itself_first(self):
        order: list[str] = []
        go = threading.Event()

        def begin() -> None:
            go.wait(10)
            order.append("all")

        # Those that come after it are worked on beside each other again.
        meet = threading.Barrier(2)

        def after(scene: str) -> None:
            meet.wait(10)
            order.append(scene)

        answers = [self.renderers.submit(None, begin)]
        answers += [self.renderers.submit(scene, lambda s=scene: after(s)) for scene in ("1-1", "2-1")]
        self.assertEqual(self.renderers.waiting, 2)
        go.set()
        for answer in answers:
            answer.result(10)
        self.assertEqual(order[0], "all")

    def test_how_far_a_scene_is_is_told_until_it_is_done(self):
        told, go = threading.Event(), threading.Event()

        def work() -> None:
            self.renderers.told("1-1", 0.5, "splitting noise off")
            told.set()
            go.wait(10)

        answer = self.renderers.submit("1-1", work)
        self.assertTrue(told.wait(10))
        self.assertEqual(self.renderers.doing("1-1"), (0.5, "splitting noise off"))
        go.set()
        answer.result(10)
        deadline = time.monotonic() + 10
        while self.renderers.doing("1-1") is not None:
            self.assertLess(time.monotonic(), deadline, "what is done is told no longer")
            time.sleep(0.01)

    def test_what_waits_is_let_go_at_the_end(self):
        begun, go = threading.Event(), threading.Event()

        def work() -> None:
            begun.set()
            go.wait(10)

        first, second = self.renderers.submit("1-1", work), self.renderers.submit("1-1", work)
        self.assertTrue(begun.wait(10))
        threading.Timer(0.1, go.set).start()
        self.renderers.close()
        self.assertIsNone(first.result(1))
        self.assertRaises(CancelledError, second.result, 1)
