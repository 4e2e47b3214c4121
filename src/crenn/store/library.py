"""Files of the library: originals under their hash, prepared scenes, small pictures, deliveries."""

import contextlib
import os
import shutil
import time
from pathlib import Path
from typing import Literal

import numpy as np

from crenn.core.errors import CrennError
from crenn.core.files import content_hash, replacing, write_jpeg
from crenn.core.render.pyramid import PreparedScene

#: A temporary file not written to for so long has no writer any more, in seconds.
_ABANDONED = 1800


#: Kinds of what workers make for others; see `crenn.store.sharing`.
Shared = Literal["originals", "scenes", "noise", "pictures", "deliveries"]


def prepared_name(scene_id: int, number: int) -> str:
    """Name of the folder of a prepared scene: the scene and the job that merged it, never a path.

    Where what is told of it changed since, the number is that of nanoseconds since 1970.
    """
    return f"{scene_id}-{number}"


class Library:
    """The library folder; shared by the application and every worker.

    Parameters
    ----------
    folder : Path
        Made if missing.

    Raises
    ------
    CrennError
        If it cannot be written to.
    """

    def __init__(self, folder: Path):
        self.folder = Path(folder).resolve()
        try:
            for name in ("originals", "scenes", "pictures", "deliveries", "incoming"):
                (self.folder / name).mkdir(parents=True, exist_ok=True)
            if not os.access(self.folder, os.W_OK):
                raise PermissionError(13, "no permission")
        except OSError as fault:
            raise CrennError(
                f"cannot be used as the library: {fault.strerror}.", self.folder, "Choose another folder with --data."
            ) from fault

    def original(self, digest: str, ending: str) -> Path:
        """Where an original with this hash is kept."""
        return self.folder / "originals" / digest[:2] / f"{digest}{ending}"

    def original_of(self, digest: str) -> Path | None:
        """The original with a hash; None if there is none."""
        folder = self.original(digest, "").parent
        return next((path for path in folder.glob(f"{digest}.*")), None) if digest.isalnum() else None

    def open_scene(self, name: str) -> PreparedScene:
        """A prepared scene, that knows where its frames lie.

        Raises
        ------
        CrennError
            If it is missing or damaged.
        """
        folder = self.scene(name)
        with contextlib.suppress(OSError):
            # What is looked at is in use: where the disk is short, others go first.
            os.utime(folder)
        return PreparedScene.open(folder, self.original_of)

    def keep(self, path: Path) -> str:
        """Copy a file among the originals; its hash."""
        digest = content_hash(path)
        kept = self.original(digest, path.suffix.lower())
        if not kept.exists():
            kept.parent.mkdir(exist_ok=True)
            with replacing(kept) as temporary:
                shutil.copyfile(path, temporary)
            kept.chmod(0o444)
        return digest

    def scene(self, name: str) -> Path:
        """Folder of a prepared scene."""
        return self.folder / "scenes" / name

    def share(self, kind: Shared, name: str) -> None:
        """Let others have what was written, a scene, noise, a picture or a delivery: here they have the folder."""

    def frame_picture(self, digest: str) -> Path:
        return self.folder / "pictures" / f"frame-{digest}.jpg"

    def scene_picture(self, prepared: str, revision: int) -> Path:
        """A scene's small picture, as it was merged and treated."""
        return self.folder / "pictures" / f"scene-{prepared}-{revision}.jpg"

    def keep_scene_picture(self, prepared: str, revision: int, codes: np.ndarray) -> Path:
        """Keep a scene's small picture, uint8 (h, w, 3), in place of those of before."""
        path = self.scene_picture(prepared, revision)
        write_jpeg(path, codes, 90)
        for old in path.parent.glob(f"scene-{prepared.partition('-')[0]}-*.jpg"):
            if old != path:
                old.unlink(missing_ok=True)
        return path

    def delivery(self, job_id: int, file_format: str) -> Path:
        return self.folder / "deliveries" / f"{job_id}.{file_format}"

    def incoming(self, upload: str) -> Path:
        """Folder for the files of one upload."""
        return self.folder / "incoming" / upload

    def incoming_of_camera(self, job_id: int) -> Path:
        """Folder that the simulated camera writes to for a job."""
        return self.incoming(f"camera-{job_id}")

    def sweep(self, scenes: set[str], incoming: set[str] | None) -> int:
        """Remove what ended work has left behind; how many files and folders.

        Parameters
        ----------
        scenes, incoming : set of str
            Names of the folders that are in use, or will be by a job that waits or runs. Without ``incoming`` none of
            those is looked at: while uploads arrive their folders belong to no job yet.
        """
        old = time.time() - _ABANDONED
        gone = [p for p in (self.folder / "scenes").iterdir() if p.name.removesuffix(".part") not in scenes]
        if incoming is None:
            # Work that has begun since the names were asked for is younger.
            gone = [p for p in gone if p.stat().st_mtime < old]
        else:
            gone += [p for p in (self.folder / "incoming").iterdir() if p.name not in incoming]
        # Temporary files of writers that were killed; one that is still written to is younger.
        gone += [p for p in self.folder.rglob(".part-*") if p.stat().st_mtime < old]
        return _remove(gone)

    def sweep_deliveries(self, kept: set[int]) -> int:
        """Remove the files of deliveries but those of some jobs; how many."""
        old = time.time() - _ABANDONED
        finished = (p for p in (self.folder / "deliveries").iterdir() if p.stem.isdecimal())
        return _remove([p for p in finished if int(p.stem) not in kept and p.stat().st_mtime < old])


def _remove(paths: list[Path]) -> int:
    for path in paths:
        if path.is_dir() and not path.is_symlink():
            shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink(missing_ok=True)
    return len(paths)
