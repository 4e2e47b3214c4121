"""Lets go of what can be made again: on wish, or because it takes more of the disk than it may."""

from collections.abc import Sequence
from pathlib import Path

from crenn.jobs.queue import cancel
from crenn.store import disk
from crenn.store.database import Database
from crenn.store.disk_limits import disk_limits
from crenn.store.library import Library


def let_noise_be(database: Database, scenes: Sequence[int]) -> None:
    """Call off the splitting of noise that waits for scenes."""
    with database.session() as session:
        waiting = disk.waiting_noise(session, scenes)
    for job in waiting:
        cancel(database, job)


def let_merged_go(database: Database, library: Library, scenes: Sequence[disk.MergedScene]) -> list[Path]:
    """Let scenes count as not merged; the folders and pictures to remove."""
    let_noise_be(database, [one.scene for one in scenes])
    with database.session() as session:
        gone = disk.drop_merged(session, library, scenes)
        session.commit()
    return gone


def keep_limits(database: Database, library: Library) -> int:
    """Let what was used longest ago go until merged scenes and delivered files take no more than they may; bytes freed.

    The scene that was used last stays, however large it is: somebody may look at it.
    """
    gone: list[Path] = []
    with database.session() as session:
        limits = disk_limits(session)
        scenes = disk.merged_scenes(session, library) if limits.scenes is not None else []
    if limits.scenes is not None:
        sizes = [(one, disk.bytes_in(library.scene(one.folder))) for one in scenes]
        gone += let_merged_go(
            database, library, [one for one in disk.beyond(sizes, limits.scenes) if one != scenes[-1]]
        )
    if limits.deliveries is not None:
        files = [(path, path.stat().st_size) for path in disk.deliveries_by_age(library)]
        gone += disk.beyond(files, limits.deliveries)
    return disk.removed(gone)
