"""The command that delivers scenes of the library by a kept set of outputs."""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from crenn import environment
from crenn.core.errors import CrennError, Missing
from crenn.library_commands import add_database, opened, scene_and_treatment

if TYPE_CHECKING:
    from crenn.core.colorimetry.profiles import IccProfile
    from crenn.store.output_sets import OutputSet


def add_deliver(commands) -> None:
    """Add the command."""
    p = commands.add_parser("deliver", help="deliver scenes of the library by a kept set of outputs, into a folder")
    p.add_argument("set", metavar="SET", help="the set's name, as at Deliver")
    p.add_argument("scenes", nargs="+", type=int, metavar="SCENE", help="their numbers, as in their pages' addresses")
    p.add_argument("--out", required=True, type=Path, metavar="DIR", help="made if missing")
    p.add_argument("--take", metavar="NAME", help="of each scene (default: the one that is worked on)")
    p.add_argument("--library", type=Path, help="shared library folder (default: CRENN_LIBRARY)")
    add_database(p)
    p.set_defaults(run=_deliver)


def _deliver(arguments: argparse.Namespace) -> None:
    from crenn.core.deliver.files import deliver
    from crenn.core.deliver.metadata import CaptureMetadata
    from crenn.core.deliver.naming import apart
    from crenn.core.frames.read import frame_metadata
    from crenn.core.render.renderer import Renderer

    chosen, profiles = _set_of(arguments)
    try:
        arguments.out.mkdir(parents=True, exist_ok=True)
    except OSError as fault:
        raise CrennError(f"cannot be made: {fault.strerror}.", arguments.out, "Choose another folder.") from None
    for place, number in enumerate(dict.fromkeys(arguments.scenes), 1):
        arguments.scene = number
        scene, treatment, original = scene_and_treatment(arguments)
        metadata = CaptureMetadata() if original is None else CaptureMetadata.of(frame_metadata(original))
        if treatment.takes_noise and scene.noise is None:
            scene.split_noise()
        told = _told(arguments) | {"number": number, "set": chosen.name, "place": f"{place:05d}"}
        for output in chosen.outputs:
            profile = profiles.get(output.profile or "")
            # How large it is, and so what it is called, is known once it is there.
            part = arguments.out / f".part-{number}.{output.format}"
            try:
                found = deliver(Renderer(scene), treatment, part, output, metadata, profile=profile)
                there = sorted(p.name for p in arguments.out.iterdir() if not p.name.startswith(".part-"))
                name = apart([*there, found.named(output, told)])[-1]
                part.rename(arguments.out / name)
            finally:
                part.unlink(missing_ok=True)
            print(arguments.out / name, flush=True)


def _set_of(arguments: argparse.Namespace) -> "tuple[OutputSet, dict[str, IccProfile]]":
    """The set of a name, and the profiles that its outputs name."""
    from crenn.store.database import Database
    from crenn.store.output_sets import output_sets
    from crenn.store.profiles import profile_named

    database = Database(environment.database_url(arguments.database))
    try:
        with database.session() as session:
            known = {one.name: one for one in output_sets(session)}
            if arguments.set not in known:
                names = ", ".join(f"“{name}”" for name in known)
                raise Missing(f"There is no set “{arguments.set}”;", remedy=f"there are: {names}.")
            chosen = known[arguments.set]
            named = {output.profile for output in chosen.outputs if output.profile is not None}
            return chosen, {name: profile_named(session, name) for name in named}
    finally:
        database.close()


def _told(arguments: argparse.Namespace) -> dict[str, str | int | None]:
    """What names of files are made of: of the scene, its shoot and its take."""
    with opened(arguments) as (_, scene):
        return {"title": scene.title, "shoot": scene.shoot.name, "take": scene.take.name}
