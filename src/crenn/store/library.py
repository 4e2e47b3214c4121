"""Files of the library: originals under their hash, prepared scenes, small pictures, deliveries."""

import os
import shutil
from pathlib import Path

from crenn.core.errors import CrennError
from crenn.core.files import content_hash, replacing


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
            raise CrennError(f"cannot be used as the library: {fault.strerror}.", self.folder,
                             "Choose another folder with --data.") from fault

    def original(self, digest: str, ending: str) -> Path:
        """Where an original with this hash is kept."""
        return self.folder / "originals" / digest[:2] / f"{digest}{ending}"

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

    def frame_picture(self, digest: str) -> Path:
        return self.folder / "pictures" / f"frame-{digest}.jpg"

    def scene_picture(self, scene_id: int) -> Path:
        return self.folder / "pictures" / f"scene-{scene_id}.jpg"

    def delivery(self, job_id: int, file_format: str) -> Path:
        return self.folder / "deliveries" / f"{job_id}.{file_format}"

    def incoming(self, upload: str) -> Path:
        """Folder for the files of one upload."""
        return self.folder / "incoming" / upload
