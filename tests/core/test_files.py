"""Files are replaced whole or not at all; progress tells and stops."""

import os
import stat
import unittest

import numpy as np
from PIL import Image

from crenn.core.errors import Cancelled, CrennError
from crenn.core.files import content_hash, replacing, write_jpeg
from crenn.core.progress import Progress
from tests.support import FolderCase


class Replacing(FolderCase):
    def test_the_new_file_takes_the_olds_place(self):
        path = self.folder / "a.txt"
        path.write_text("old")
        with replacing(path) as temporary:
            temporary.write_text("new")
            self.assertEqual(path.read_text(), "old")
        self.assertEqual(path.read_text(), "new")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.txt"])

    def test_a_fault_leaves_the_old_file_and_nothing_else(self):
        path = self.folder / "a.txt"
        path.write_text("old")
        for fault in (ValueError("x"), KeyboardInterrupt(), Cancelled("stop")):
            with self.assertRaises(type(fault)), replacing(path) as temporary:
                temporary.write_text("half")
                raise fault
        self.assertEqual(path.read_text(), "old")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.txt"])

    def test_the_temporary_file_has_the_ending_so_that_writers_know_the_format(self):
        with replacing(self.folder / "p.tif") as temporary:
            self.assertEqual((temporary.suffix, temporary.parent), (".tif", self.folder))

    def test_others_may_read_it(self):
        with replacing(self.folder / "a") as temporary:
            temporary.write_text("x")
        self.assertEqual(stat.S_IMODE(os.stat(self.folder / "a").st_mode), 0o644)

    def test_faults_of_the_disk_name_the_file_and_the_remedy(self):
        with (
            self.assertRaisesRegex(CrennError, "b.txt.*folder does not exist.*Make the folder"),
            replacing(self.folder / "absent" / "b.txt"),
        ):
            pass
        with self.assertRaisesRegex(CrennError, "c.txt: cannot be written: I/O"), replacing(self.folder / "c.txt"):
            raise OSError(5, "I/O")

    def test_hashes_are_those_of_the_standard(self):
        # FIPS 180-4, the example of one block.
        path = self.folder / "abc"
        path.write_bytes(b"abc")
        self.assertEqual(content_hash(path), "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad")

    def test_a_jpeg_keeps_its_colours_apart(self):
        codes = np.zeros((64, 96, 3), np.uint8)
        codes[:, :32, 0], codes[:, 32:64, 1], codes[:, 64:, 2] = 200, 150, 100
        write_jpeg(self.folder / "p.jpg", codes, 95)
        with Image.open(self.folder / "p.jpg") as picture:
            back = np.asarray(picture).astype(int)
        self.assertLess(np.abs(back - codes)[8:-8, [16, 48, 80]].max(), 6)


class Parts(unittest.TestCase):
    def test_parts_fill_their_share_of_the_whole(self):
        told = []
        whole = Progress(lambda share, text: told.append((round(share, 6), text)) or True)
        whole.at(0.1, "a")
        part = whole.part(0.2, 0.6)
        part.at(0.0, "b")
        part.part(0.5, 1.0).at(0.5, "c")
        part.at(1.0, "d")
        self.assertEqual(told, [(0.1, "a"), (0.2, "b"), (0.5, "c"), (0.6, "d")])

    def test_false_stops_and_nothing_else_does(self):
        for answer, stops in ((False, True), (None, False), (0, False), (True, False)):
            progress = Progress(lambda share, text, answer=answer: answer)
            with self.subTest(answer=answer):
                if stops:
                    self.assertRaises(Cancelled, progress.part(0, 0.5).at, 0.1, "x")
                else:
                    progress.part(0, 0.5).at(0.1, "x")

    def test_without_a_listener_nothing_happens(self):
        Progress().part(0, 0.5).at(0.3, "x")
