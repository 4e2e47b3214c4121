"""Logs: a JSON object a line, with the request or job it belongs to, whichever thread works on it."""

import io
import json
import logging
import unittest
from contextlib import redirect_stderr
from contextvars import copy_context
from threading import Thread

from crenn.log import about, log_nothing, log_to_stderr


class Lines(unittest.TestCase):
    def setUp(self):
        self.stderr = io.StringIO()
        with redirect_stderr(self.stderr):
            log_to_stderr("INFO")
        self.addCleanup(log_nothing)

    def lines(self) -> list[dict]:
        return [json.loads(line) for line in self.stderr.getvalue().splitlines()]

    def test_a_line_has_time_level_origin_and_what_is_added(self):
        logging.getLogger("crenn.x").info("merged “%s”", "harbour\nat night", extra={"seconds": 1.25})
        (line,) = self.lines()
        self.assertEqual((line["level"], line["from"], line["seconds"]), ("INFO", "crenn.x", 1.25))
        self.assertEqual(line["message"], "merged “harbour\nat night”")
        self.assertRegex(line["time"], r"^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ$")

    def test_what_is_worked_on_is_named_inside_only(self):
        log = logging.getLogger("crenn.x")
        with about(request="r1"):
            log.info("a")
            with about(job=7):
                log.info("b")
            log.info("c")
        log.info("d")
        self.assertEqual(
            [(x.get("request"), x.get("job")) for x in self.lines()],
            [("r1", None), ("r1", 7), ("r1", None), (None,) * 2],
        )

    def test_requests_do_not_get_into_each_others_lines(self):
        def work(number: int) -> None:
            with about(request=number):
                for _ in range(50):
                    logging.getLogger("crenn.x").info("%d", number)

        threads = [Thread(target=copy_context().run, args=(work, n)) for n in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        lines = self.lines()
        self.assertEqual(len(lines), 200)
        self.assertTrue(all(str(x["request"]) == x["message"] for x in lines))

    def test_an_exception_is_one_line_with_its_trace(self):
        try:
            raise ValueError("odd")
        except ValueError:
            logging.getLogger("crenn.x").exception("failed")
        (line,) = self.lines()
        self.assertIn("ValueError: odd", line["exc_info"])

    def test_levels_are_kept_and_chatty_libraries_silenced(self):
        logging.getLogger("crenn.x").debug("no")
        logging.getLogger("tifffile").warning("no")
        logging.getLogger("uvicorn.access").info("no")
        logging.getLogger("procrastinate").error("yes")
        self.assertEqual([x["message"] for x in self.lines()], ["yes"])

    def test_nothing_is_nothing(self):
        with redirect_stderr(self.stderr):
            log_nothing()
            logging.getLogger("crenn.x").error("no")
        self.assertEqual(self.lines(), [])
