"""How many threads run kernels at once."""

import unittest
from unittest import mock

import numba as nb

from crenn.core import threads


class AtOnce(unittest.TestCase):
    def setUp(self):
        threads._side_by_side.cache_clear()
        self.addCleanup(threads._side_by_side.cache_clear)

    def test_no_more_than_there_are_processors(self):
        self.assertEqual(threads.kernels_at_once(1), 1)
        self.assertLessEqual(threads.kernels_at_once(10**6), nb.config.NUMBA_NUM_THREADS)

    def test_one_where_threads_would_end_the_process(self):
        with mock.patch("importlib.import_module", side_effect=ImportError("no libgomp.so.1")):
            self.assertEqual(threads.kernels_at_once(4), 1)
