"""Commands that look into the library of a running application: a scene's history and takes, and pictures of them."""

import argparse
import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from crenn import environment
from crenn.core.errors import Missing

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from crenn.core.render.pyramid import PreparedScene
    from crenn.core.treatment import Treatment
    from crenn.store.models import Scene


def add_commands(commands) -> None:
    """Add the commands to a command line's grammar."""
    for name, text, run in (
        ("history", "what was done in a scene of the library", _history),
        ("takes", "the takes of a scene of the library, and their marks", _takes),
    ):
        p = commands.add_parser(name, help=text)
        p.add_argument("scene", type=int, metavar="SCENE", help="its number, as in its page's address")
        p.add_argument("--take", metavar="NAME", help="(default: the one that is worked on)")
        p.add_argument("--json", action="store_true")
        add_database(p)
        p.set_defaults(run=run)
    p = commands.add_parser("export", help="a whole scene of the library as one file, with its history")
    p.add_argument("scene", type=int, metavar="SCENE")
    p.add_argument("--out", required=True, type=Path, metavar="OUT.crenn")
    p.add_argument("--library", type=Path, help="shared library folder (default: CRENN_LIBRARY)")
    add_database(p)
    p.set_defaults(run=_export)
    p = commands.add_parser("import", help="bring exported scenes, or frames, into the library")
    p.add_argument("files", nargs="+", type=Path, metavar="FILE")
    p.add_argument("--name", help="of the shoot that they become (default: of the first file)")
    add_database(p)
    p.set_defaults(run=_import)


def _export(arguments) -> None:
    from crenn.core.files import replacing
    from crenn.store.library import Library
    from crenn.store.parcel import parcelled

    arguments.take = None
    with opened(arguments) as (session, scene):
        pieces = parcelled(session, scene, Library(environment.library_folder(arguments.library)))
        with replacing(arguments.out) as temporary, open(temporary, "wb") as file:
            file.writelines(pieces)


def _import(arguments) -> None:
    from crenn.jobs.queue import add_job
    from crenn.store.database import Database
    from crenn.store.models import Shoot

    database = Database(environment.database_url(arguments.database))
    try:
        with database.session() as session:
            shoot = Shoot(name=arguments.name or arguments.files[0].stem[:200])
            session.add(shoot)
            session.flush()
            files = [str(path.resolve()) for path in arguments.files]
            for path in arguments.files:
                if not path.is_file():
                    raise Missing("does not exist.", path, "Check its name.")
            job = add_job(session, "import", shoot_id=shoot.id, options={"files": files, "upload": None})
            session.commit()
            print(f"Job {job.id}: a worker brings in {len(files)} files.")
    finally:
        database.close()


def add_database(p: argparse.ArgumentParser) -> None:
    """Add where the library's database is."""
    p.add_argument("--database", help="database URL (default: CRENN_DATABASE)")


@contextmanager
def opened(arguments) -> Iterator["tuple[Session, Scene]"]:
    """A session, and the scene that is named, with the take that is asked for."""
    from crenn.store.database import Database
    from crenn.store.models import Scene
    from crenn.store.takes import take_named

    database = Database(environment.database_url(arguments.database))
    try:
        with database.session() as session:
            scene = session.get(Scene, arguments.scene)
            if scene is None:
                raise Missing(f"There is no scene {arguments.scene} in the library.")
            if arguments.take:
                # What is looked at is not what is worked on from now on: nothing of this is stored.
                scene.take = take_named(session, scene, arguments.take)
            yield session, scene
            session.rollback()
    finally:
        database.close()


def _history(arguments) -> None:
    from crenn.store.history import history

    with opened(arguments) as (session, scene):
        entries = history(session, scene)
    if arguments.json:
        rows = [vars(e) | {"created": e.created.isoformat(), "marks": list(e.marks)} for e in entries]
        print(json.dumps(rows))
        return
    for entry in entries:
        marks = "".join(f" [{name}]" for name in entry.marks)
        times = f" ×{entry.moves}" if entry.moves > 1 else ""
        here = "*" if entry.here else {"done": " ", "ahead": ">", "branch": "|"}[entry.place]
        print(f"{here} {entry.created:%Y-%m-%d %H:%M}  {entry.station or '':9} {entry.label}{times}{marks}")


def _takes(arguments) -> None:
    from crenn.store.history import marks_of
    from crenn.store.takes import takes_of

    with opened(arguments) as (session, scene):
        working = scene.take_id if not arguments.take else None
        found = [
            (take.name, take.id == working, take.created.isoformat(), [mark.name for mark in marks_of(session, take)])
            for take in takes_of(session, scene)
            if not arguments.take or take.name == arguments.take
        ]
    if arguments.json:
        print(json.dumps([dict(zip(("name", "here", "begun", "marks"), row)) for row in found]))
        return
    for name, here, _, marks in found:
        print(f"{'*' if here else ' '} {name}{''.join(f' [{mark}]' for mark in marks)}")


def scene_and_treatment(arguments) -> "tuple[PreparedScene, Treatment, Path | None]":
    """A merged scene of the library, the treatment of its take, and its reference frame's file.

    Raises
    ------
    CrennError
        If the scene, or the take, is not there, or has not been merged yet.
    """
    from crenn.core.report.merging import MergeReport
    from crenn.jobs.tasks import unique_names
    from crenn.store.library import Library
    from crenn.store.takes import treatment_of_take

    library = Library(environment.library_folder(arguments.library))
    with opened(arguments) as (session, scene):
        if not scene.prepared:
            raise Missing(f"Scene {arguments.scene} has not been merged yet.", remedy="Merge it first.")
        treatment = treatment_of_take(session, scene, scene.take)
        reference = MergeReport.model_validate(scene.report).reference_name
        frame = next((f for n, f in zip(unique_names(scene.frames), scene.frames) if n == reference), None)
        original = library.original(frame.content_hash, frame.ending) if frame else None
        prepared = library.open_scene(scene.prepared)
    return prepared, treatment, original if original is not None and original.exists() else None
