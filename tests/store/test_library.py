"""The library's files: originals once and unchanged, what is left behind swept, what is in use never."""

import os
import stat
import time

from crenn.core.errors import CrennError
from crenn.core.files import content_hash
from crenn.store.library import Library, prepared_name
from tests.support import FolderCase


class Originals(FolderCase):
    def setUp(self):
        super().setUp()
        self.library = Library(self.folder / "library")
        self.frame = self.folder / "IMG_1.DNG"
        self.frame.write_bytes(b"light" * 1000)

    def test_an_original_is_kept_under_its_hash_and_cannot_be_written_to(self):
        digest = self.library.keep(self.frame)
        kept = self.library.original(digest, ".dng")
        self.assertEqual(digest, content_hash(self.frame))
        self.assertEqual(kept.read_bytes(), self.frame.read_bytes())
        self.assertEqual(stat.S_IMODE(os.stat(kept).st_mode) & 0o222, 0)
        self.assertTrue(self.frame.exists())

    def test_the_same_file_is_kept_once(self):
        digest = self.library.keep(self.frame)
        kept = self.library.original(digest, ".dng")
        before = kept.stat().st_mtime_ns, kept.stat().st_ino
        again = self.folder / "copy.dng"
        again.write_bytes(self.frame.read_bytes())
        self.assertEqual(self.library.keep(again), digest)
        self.assertEqual((kept.stat().st_mtime_ns, kept.stat().st_ino), before)

    def test_a_missing_file_leaves_nothing(self):
        with self.assertRaises(OSError):
            self.library.keep(self.folder / "absent.dng")
        self.assertEqual([p for p in (self.library.folder / "originals").rglob("*") if p.is_file()], [])

    def test_a_file_where_the_folder_should_be(self):
        with self.assertRaisesRegex(CrennError, "IMG_1.DNG.*cannot be used as the library"):
            Library(self.frame)


class Sweeping(FolderCase):
    def setUp(self):
        super().setUp()
        self.library = Library(self.folder)

    def put(self, *parts: str, age: float = 0) -> None:
        path = self.folder.joinpath(*parts)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text("x")
        os.utime(path, (time.time() - age,) * 2)

    def left(self) -> set[str]:
        return {str(p.relative_to(self.folder)) for p in self.folder.rglob("*") if p.is_file()}

    def test_only_what_nobody_has_any_more_goes(self):
        used, gone = prepared_name(3, 9), prepared_name(3, 4)
        for name in (used, used + ".part", gone, gone + ".part"):
            self.put("scenes", name, "level0.npy")
        for name in ("waiting", "abandoned", "camera-7"):
            self.put("incoming", name, "a.dng")
        self.put("originals", "ab", "abc.dng", age=1e6)
        self.put("pictures", "scene-3.jpg", age=1e6)
        self.put("originals", "ab", ".part-young.dng", age=60)
        self.put("deliveries", ".part-old.jpg", age=9999)
        self.assertEqual(self.library.sweep({used}, {"waiting", "camera-7"}), 4)
        self.assertEqual(
            self.left(),
            {
                f"scenes/{used}/level0.npy",
                f"scenes/{used}.part/level0.npy",
                "incoming/waiting/a.dng",
                "incoming/camera-7/a.dng",
                "originals/ab/abc.dng",
                "originals/ab/.part-young.dng",
                "pictures/scene-3.jpg",
            },
        )
        self.assertEqual(self.library.sweep({used}, {"waiting", "camera-7"}), 0)

    def test_links_are_removed_and_not_followed(self):
        self.put("precious", "a.dng")
        (self.folder / "incoming" / "link").symlink_to(self.folder / "precious")
        self.library.sweep(set(), set())
        self.assertEqual(self.left(), {"precious/a.dng"})
