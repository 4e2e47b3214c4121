"""The cache: keys of what makers are given, one maker a key, up to a number of bytes, the dearest kept longest."""

import threading
import time
import unittest
from dataclasses import dataclass

import numpy as np

from crenn.core.render.cache import Cache, digest_of


@dataclass(frozen=True)
class Scope:
    """Something that things are made of."""

    key: str = "scope"
    passing: bool = False


class Clock:
    """A clock that makers move."""

    def __init__(self) -> None:
        self.now = 0.0

    def __call__(self) -> float:
        return self.now


class Kept(unittest.TestCase):
    def test_what_was_made_is_made_once(self):
        cache, made = Cache(10_000), []
        for _ in range(3):
            found = cache.get(Scope(), "a", (10,), lambda n: made.append(n) or np.zeros(n))
        self.assertEqual((made, found.shape), ([10], (10,)))

    def test_what_a_maker_is_given_tells_results_apart(self):
        cache = Cache(100_000)
        given = (1, 2.0, "2", b"2", None, (1, 2), np.array([1.0]), np.array([1.0], np.float32))
        for value in given:
            self.assertIs(cache.get(Scope(), "a", (value,), lambda v: v), value)
        for value in given:
            self.assertIs(cache.get(Scope(), "a", (value,), self.fail), value)
        self.assertNotEqual(digest_of((1,), 2), digest_of((1, 2)))

    def test_what_cannot_be_told_apart_is_refused(self):
        with self.assertRaises(TypeError):
            Cache(1000).get(Scope(), "a", (object(),), lambda v: v)

    def test_scopes_and_names_do_not_share(self):
        cache = Cache(10_000)
        for scope in (Scope("one"), Scope("two")):
            for name in ("a", "b"):
                self.assertEqual(cache.get(scope, name, (), lambda s=scope, n=name: s.key + n), scope.key + name)

    def test_what_is_passing_is_not_kept(self):
        cache, made = Cache(10_000), []
        for _ in range(2):
            cache.get(Scope(passing=True), "a", (), lambda: made.append(1))
        self.assertEqual((len(made), cache.bytes), (2, 0))

    def test_the_least_recently_asked_for_of_what_is_alike_goes_first(self):
        clock, made = Clock(), []
        cache = Cache(3 * (1000 + 1024), clock)

        def make(key):
            made.append(key)
            clock.now += 1.0
            return np.zeros(1000, np.uint8)

        for key in "abcabdabc":
            cache.get(Scope(), key, (key,), make)
        self.assertEqual("".join(made), "abcdc")

    def test_what_is_dear_is_kept_longest_but_not_for_ever(self):
        clock, made = Clock(), []
        cache = Cache(3 * (1000 + 1024), clock)

        def get(key, seconds):
            def make(key):
                made.append(key)
                clock.now += seconds
                return np.zeros(1000, np.uint8)

            cache.get(Scope(), key, (key,), make)

        get("dear", 10.0)
        for round_ in range(5):
            for key in "abc":
                get(f"{key}{round_}", 1.0)
        get("dear", 10.0)
        self.assertEqual(made.count("dear"), 1)
        for n in range(60):
            get(f"more {n}", 1.0)
        get("dear", 10.0)
        self.assertEqual(made.count("dear"), 2)

    def test_what_others_took_to_make_meanwhile_is_not_counted_twice(self):
        clock = Clock()
        cache = Cache(100_000, clock)

        def wait(seconds):
            clock.now += seconds
            return np.zeros(1000, np.uint8)

        def outer():
            cache.get(Scope(), "inner", (), lambda: wait(9.0))
            return wait(1.0)

        cache.get(Scope(), "outer", (), outer)
        worths = sorted(entry.worth * entry.size for entry in cache._kept.values())
        np.testing.assert_allclose(worths, [1.0, 9.0])

    def test_bytes_stay_within_their_bound_with_all_that_entries_take(self):
        cache = Cache(50_000)
        for n in range(1000):
            cache.get(Scope(), "small", (n,), lambda n: np.zeros(1, np.uint8))
        self.assertLessEqual(cache.bytes, 50_000)
        self.assertLess(len(cache._kept), 50)
        self.assertLess(len(cache._queue), 1000)

    def test_what_is_larger_than_all_room_is_given_but_not_kept(self):
        cache, made = Cache(100), []
        for _ in range(2):
            self.assertEqual(cache.get(Scope(), "a", (), lambda: made.append(1) or np.ones(1000)).sum(), 1000)
        self.assertEqual(len(made), 2)

    def test_what_is_asked_for_can_be_counted(self):
        cache = Cache(100_000)
        cache.get(Scope(), "a", (), lambda: np.zeros(1000, np.uint8))
        with cache.counting() as touched:
            for _ in range(2):
                cache.get(Scope(), "a", (), self.fail)
        self.assertEqual(list(touched.values()), [2024])

    def test_a_key_has_one_maker_and_the_others_wait_for_it(self):
        cache, made, found = Cache(10_000), [], []

        def make():
            made.append(1)
            time.sleep(0.05)
            return np.arange(5)

        def ask():
            found.append(cache.get(Scope(), "a", (), make))

        threads = [threading.Thread(target=ask) for _ in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(5)
        self.assertEqual(len(made), 1)
        self.assertTrue(all(f is found[0] for f in found) and len(found) == 6)

    def test_a_maker_that_fails_leaves_room_for_the_next(self):
        cache = Cache(10_000)
        with self.assertRaises(ZeroDivisionError):
            cache.get(Scope(), "a", (), lambda: 1 / 0)
        self.assertEqual(cache.get(Scope(), "a", (), lambda: 7), 7)
