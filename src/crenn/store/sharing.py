"""What workers without the shared folder are sent of the library, and may send: files, and folders as archives."""

import re
import zipfile
from collections.abc import Iterator
from pathlib import Path

from crenn.core.archive import archived
from crenn.core.errors import CrennError, Missing
from crenn.core.files import replacing_folder
from crenn.core.render.pyramid import noise_folder
from crenn.store.library import Library, Shared

#: Names that there can be of each kind.
_NAMES: dict[Shared, str] = {
    "originals": r"[0-9a-f]{64}",
    "scenes": r"\d{1,12}-\d{1,20}",
    "noise": r"\d{1,12}-\d{1,20}",
    "pictures": r"scene-\d{1,12}-\d{1,20}-\d{1,12}\.jpg",
    "deliveries": r"\d{1,12}\.[a-z0-9]{2,5}",
}
#: Kinds that are folders, and what can lie in one.
FOLDERS = ("scenes", "noise")
_MEMBER = re.compile(r"(noise/)?[a-z_]{1,40}\d{0,3}\.(npy|json)")
_PIECE = 2**20


def shared_path(library: Library, kind: Shared, name: str) -> Path:
    """Where a shared file or folder lies, or is to.

    Raises
    ------
    Missing
        If there can be none of that name, or it is an original that is not there.
    """
    if not re.fullmatch(_NAMES[kind], name):
        raise Missing(f"There is nothing called “{name[:80]}” in {kind}.")
    if kind == "originals":
        path = library.original_of(name)
        if path is None:
            raise Missing("This original is no longer in the library.")
        return path
    if kind == "noise":
        return noise_folder(library.scene(name))
    return library.folder / kind / name


def packed(folder: Path) -> Iterator[bytes]:
    """A folder as a ZIP archive, piece by piece; its files are not compressed."""
    files = sorted(p for p in folder.rglob("*") if p.is_file() and not p.name.startswith("."))
    return archived((p.relative_to(folder).as_posix(), p) for p in files)


def unpacked(archive: Path, folder: Path) -> None:
    """Unpack what `packed` made in the place of a folder, all or nothing.

    Raises
    ------
    CrennError
        If it is no such archive, or the disk is full.
    """
    try:
        with zipfile.ZipFile(archive) as packed_files:
            names = packed_files.namelist()
            odd = next((name for name in names if not _MEMBER.fullmatch(name)), None)
            if odd is not None or not names:
                raise CrennError(f"holds “{(odd or 'nothing')[:80]}”, which is none of a scene's.", folder)
            with replacing_folder(folder, "cannot be kept") as part:
                for name in names:
                    (part / name).parent.mkdir(exist_ok=True)
                    with packed_files.open(name) as source, open(part / name, "wb") as file:
                        while piece := source.read(_PIECE):
                            file.write(piece)
    except (zipfile.BadZipFile, NotImplementedError, EOFError) as fault:
        raise CrennError("is no whole archive.", folder, "Send it again.") from fault
