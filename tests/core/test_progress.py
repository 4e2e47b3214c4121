"""Progress through stages, and of work that goes on side by side."""

import threading
import unittest

from crenn.core.errors import Cancelled
from crenn.core.progress import Progress, Stages, side_by_side


class Costs(unittest.TestCase):
    def setUp(self):
        self.told = []
        report = Progress(lambda share, text: self.told.append(round(share, 6)) or True)
        self.stages = Stages(report, {"read": 1, "lay": 2, "detail": 4, "report": 1})

    def test_stages_take_their_share(self):
        for name in ("read", "lay", "detail"):
            self.stages.begin(name, name)
        self.stages.begin("report").at(1.0, "done")
        self.assertEqual(self.told, [0, 0.125, 0.375, 1])

    def test_what_is_left_out_leaves_its_share_to_the_others(self):
        self.stages.begin("read", "")
        self.stages.begin("detail", "")
        self.assertEqual(self.told, [0, round(1 / 6, 6)])

    def test_better_knowledge_moves_it_on_but_never_back(self):
        self.stages.begin("read", "")
        self.stages.begin("lay", "").at(1.0, "")
        # Half of what is left falls away: two thirds of a way that is shorter now are behind.
        self.stages.expect({"detail": 0, "report": 1.5})
        self.stages.begin("detail", "")
        # It takes far longer after all.
        self.stages.expect({"detail": 50, "report": 100})
        self.stages.begin("report", "")
        self.assertEqual(self.told, [0, 0.125, 0.375, round(3 / 4.5, 6), round(3 / 4.5, 6)])


class SideBySide(unittest.TestCase):
    def test_what_is_told_is_the_sum_of_what_is_done_by_the_caller_alone(self):
        told, callers, seen = [], set(), threading.Event()
        together = threading.Barrier(2, timeout=20)

        def report(share: float, text: str) -> bool:
            told.append(share)
            callers.add(threading.get_ident())
            if share > 0.3:
                seen.set()
            return True

        def work(item: float, progress: Progress) -> None:
            progress.at(item, "a part")
            # Neither waits for the other to end, and both for the sum of their shares to be told.
            together.wait()
            self.assertTrue(seen.wait(20))

        side_by_side(work, [0.4, 0.6], [0.25, 0.75], Progress(report).part(0.0, 0.8), "at it", 2)
        self.assertEqual(callers, {threading.get_ident()})
        self.assertEqual(told, sorted(told))
        self.assertTrue(any(abs(share - 0.8 * (0.25 * 0.4 + 0.75 * 0.6)) < 1e-9 for share in told))

    def test_all_stop_where_one_is_called_off_or_fails(self):
        for failing, report, raised in ((1, None, ValueError), (-1, lambda share, _: share < 0.1, Cancelled)):
            started: list[int] = []

            def work(item: int, progress: Progress, failing: int = failing, started: list[int] = started) -> None:
                started.append(item)
                if item == failing:
                    raise ValueError("no picture")
                for _ in range(2000):
                    progress.at(0.5, "a part")
                    threading.Event().wait(0.01)

            with self.assertRaises(raised):
                side_by_side(work, range(20), [0.05] * 20, Progress(report), "at it", 5)
            self.assertLess(len(started), 20)


if __name__ == "__main__":
    unittest.main()
