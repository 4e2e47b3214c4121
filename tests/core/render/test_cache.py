"""The cache: one maker a key, up to a number of bytes."""

import threading
import time
import unittest

import numpy as np

from crenn.core.render.cache import Cache


class Kept(unittest.TestCase):
    def test_what_was_made_is_made_once(self):
        cache, made = Cache(10_000), []
        for _ in range(3):
            found = cache.get("a", lambda: made.append(1) or np.zeros(10))
        self.assertEqual((len(made), found.shape), (1, (10,)))

    def test_the_least_recently_used_goes_first(self):
        cache, made = Cache(3000), []

        def get(key):
            return cache.get(key, lambda: made.append(key) or np.zeros(1000, np.uint8))

        for key in "abcabdab":
            get(key)
        self.assertEqual("".join(made), "abcd")
        get("c")
        self.assertEqual("".join(made), "abcdc")

    def test_what_is_larger_than_all_room_is_given_but_not_kept(self):
        cache, made = Cache(100), []
        for _ in range(2):
            self.assertEqual(cache.get("a", lambda: made.append(1) or np.ones(1000)).sum(), 1000)
        self.assertEqual(len(made), 2)

    def test_a_key_has_one_maker_and_the_others_wait_for_it(self):
        cache, made, found = Cache(10_000), [], []

        def make():
            made.append(1)
            time.sleep(0.05)
            return np.arange(5)

        threads = [threading.Thread(target=lambda: found.append(cache.get("a", make))) for _ in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(5)
        self.assertEqual(len(made), 1)
        self.assertTrue(all(f is found[0] for f in found) and len(found) == 6)

    def test_a_maker_that_fails_leaves_room_for_the_next(self):
        cache = Cache(10_000)
        with self.assertRaises(ZeroDivisionError):
            cache.get("a", lambda: 1 / 0)
        self.assertEqual(cache.get("a", lambda: 7), 7)
