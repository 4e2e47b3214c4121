"""Kernels are compiled anew when anything that is compiled into them has changed."""

import shutil
from pathlib import Path
from unittest import mock

from crenn import kernels
from tests.support import FolderCase


class Closures(FolderCase):
    def setUp(self):
        super().setUp()
        self.sources = self.folder / "src"
        shutil.copytree(Path(kernels.__file__).parents[1], self.sources, ignore=shutil.ignore_patterns("__pycache__"))
        patch = mock.patch.object(kernels, "_SOURCES", self.sources)
        patch.start()
        self.addCleanup(patch.stop)
        stamp = mock.patch.object(kernels, "_STAMP", self.folder / "stamp")
        stamp.start()
        self.addCleanup(stamp.stop)

    def changed_by(self, name: str) -> set[str]:
        """Which files' kernels are compiled anew once another file has changed."""
        before = kernels.closures()
        path = self.sources / "crenn" / name
        path.write_text(path.read_text() + "\n#: Another constant.\nANOTHER = 3\n")
        after = kernels.closures()
        return {Path(file).name for file, digest in after.items() if before[file] != digest}

    def test_constants_of_files_without_kernels_count(self):
        self.assertLessEqual({"rows.py", "display.py", "recolour.py"}, self.changed_by("core/pipeline/colours.py"))
        self.assertIn("rows.py", self.changed_by("core/colorimetry/spaces.py"))
        self.assertIn("display.py", self.changed_by("core/pipeline/instructions.py"))

    def test_what_is_not_imported_does_not(self):
        self.assertEqual(self.changed_by("api/news.py"), set())
        self.assertNotIn("hot.py", self.changed_by("core/render/display.py"))

    def test_only_what_numba_kept_of_those_is_thrown_away(self):
        now = kernels.closures()
        kernels._STAMP.write_text(kernels.json.dumps(now))
        self.assertTrue(kernels.compiled())
        kept = [self.sources / "crenn/core" / name for name in ("render/__pycache__", "mosaic/__pycache__")]
        for folder, name in zip(kept, ("display._shown-1.py311.nbi", "hot.vote-1.py311.nbi")):
            folder.mkdir()
            (folder / name).touch()
        self.changed_by("core/render/display.py")
        self.assertFalse(kernels.compiled())
        kernels._forget_changed(kernels.closures())
        self.assertEqual([len(list(folder.iterdir())) for folder in kept], [0, 1])
