"""The command that makes a series of frames into a film, or into numbered pictures."""

import argparse
import sys
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

from crenn import arguments as typed
from crenn.core.errors import CrennError

if TYPE_CHECKING:
    from crenn.core.frames.intervals import Series
    from crenn.core.render.pyramid import PreparedScene
    from crenn.core.treatment import Treatment


def add_series(commands) -> None:
    """Add the command."""
    p = commands.add_parser("series", help="merge the brackets of a night, treat them as one, and make a film of them")
    p.add_argument("frames", nargs="+", type=Path, metavar="FRAME")
    p.add_argument(
        "--key",
        type=typed.key,
        action="append",
        default=[],
        metavar="N=T.json",
        help="the treatment of a scene, from 1; what lies between keys is gone through; repeatable",
    )
    p.add_argument("--out", required=True, type=Path, metavar="OUT.(mp4|mov)|FOLDER")
    p.add_argument("--codec", choices=("h264", "av1", "vc3"), help="of the film (default h264; vc3 for .mov)")
    p.add_argument("--rate", type=typed.above_nothing, default=24.0, metavar="N", help="pictures a second (default 24)")
    p.add_argument("--long-edge", type=typed.positive, default=1920, metavar="PX", help="of the film (default 1920)")
    p.add_argument("--quality", type=int, default=85, metavar="1-100", help="of the film (default 85)")
    p.add_argument("--output", type=Path, metavar="O.json", help="what numbered pictures are to be like (default JPEG)")
    p.set_defaults(run=_series)


def _series(arguments: argparse.Namespace) -> None:
    from crenn.core.progress import Progress
    from crenn.core.series.treating import SeriesLight

    _film_of(arguments)
    series, scenes = _found(arguments.frames)
    places = range(len(series.members))
    if wrong := [number for number, _ in arguments.key if number > len(places)]:
        raise CrennError(f"There is no scene {wrong[0]};", remedy=f"the series has {len(places)}.")
    with tempfile.TemporaryDirectory(prefix="crenn-series-") as name:
        folder = Path(name)
        for place, member in enumerate(series.members):
            _tell(f"merging scene {place + 1} of {len(places)}")
            _merged(scenes[member]).save(folder / str(place))
        light = SeriesLight.of((_opened(folder, place) for place in places), series.times, Progress())
        _tell(f"exposures flicker by {light.flicker.std():.3f} EV, which is taken out")
        treatments = light.treatments({number - 1: treatment for number, treatment in _keys(arguments)})
        _written(arguments, folder, treatments)


def _tell(text: str) -> None:
    print(f"crenn: {text}", file=sys.stderr, flush=True)


def _film_of(arguments: argparse.Namespace):
    """What film is wanted; None if it is numbered pictures."""
    from pydantic import ValidationError

    from crenn.core.document import wrong_value
    from crenn.core.series.film import Film

    ending = arguments.out.suffix.lower()
    if ending == "":
        return None
    codec = arguments.codec or ("vc3" if ending == ".mov" else "h264")
    try:
        film = Film(codec=codec, rate=arguments.rate, pixels=arguments.long_edge, quality=arguments.quality)
    except ValidationError as fault:
        where, why = wrong_value(fault)
        raise CrennError("This film cannot be:", remedy=f"{where}: {why}.") from None
    if ending != f".{film.ending}":
        raise CrennError(f"is no name of a film of {codec};", arguments.out, f"let it end in .{film.ending}.")
    return film


def _keys(arguments: argparse.Namespace) -> "list[tuple[int, Treatment]]":
    from crenn.core.treatment import read_treatment

    return [(number, read_treatment(path)) for number, path in arguments.key]


def _found(paths: list[Path]) -> "tuple[Series, list[list[Path]]]":
    """The series that frames are, and the frames of all scenes among them."""
    from crenn.core.frames.grouping import GroupingKey, group_frames, signature_of
    from crenn.core.frames.intervals import find_series, moment_of
    from crenn.core.frames.preview import preview
    from crenn.core.frames.read import read_frame

    keys, about = [], []
    for number, path in enumerate(sorted(paths)):
        if number % 20 == 0:
            _tell(f"reading frame {number + 1} of {len(paths)}")
        frame = read_frame(path)
        m = frame.metadata
        camera, signature = f"{m.make} {m.model}", signature_of(preview(frame)[0])
        about.append(m)
        keys.append(
            GroupingKey(
                m.taken, m.seconds, m.sensitivity, camera, m.width, m.height, m.focal_length, signature=signature
            )
        )
    groups = group_frames(keys)
    found = find_series([moment_of([about[i] for i in group], keys[group[0]].camera) for group in groups])
    if not found:
        raise CrennError(
            f"These {len(groups)} scenes are no series:",
            remedy="name eight or more of one view, taken at even intervals.",
        )
    longest = max(found, key=lambda one: len(one.members))
    if left := len(groups) - len(longest.members):
        _tell(f"{left} scenes are not of the series, and left out")
    ordered = sorted(paths)
    return longest, [[ordered[i] for i in group] for group in groups]


def _merged(frames: list[Path]) -> "PreparedScene":
    from crenn.core.merge.merge import merge_frames
    from crenn.core.render.pyramid import PreparedScene

    return PreparedScene.from_radiance(merge_frames(frames))


def _opened(folder: Path, place: int) -> "PreparedScene":
    from crenn.core.render.pyramid import PreparedScene

    return PreparedScene.open(folder / str(place))


def _written(arguments: argparse.Namespace, folder: Path, treatments: "list[Treatment]") -> None:
    from crenn.core.deliver.files import deliver
    from crenn.core.progress import Progress
    from crenn.core.render.renderer import Renderer
    from crenn.core.series.treating import write_film
    from crenn.render_command import read_output

    def at(place: int) -> "tuple[PreparedScene, Treatment]":
        scene = _opened(folder, place)
        if treatments[place].takes_noise:
            scene.split_noise()
        return scene, treatments[place]

    film = _film_of(arguments)
    if film is not None:
        _tell("rendering the film")
        write_film(arguments.out, film, len(treatments), at, Progress())
        return
    output = read_output(arguments.output)
    arguments.out.mkdir(parents=True, exist_ok=True)
    for place in range(len(treatments)):
        _tell(f"rendering picture {place + 1} of {len(treatments)}")
        scene, treatment = at(place)
        deliver(Renderer(scene), treatment, arguments.out / f"{place + 1:05d}.{output.format}", output)
