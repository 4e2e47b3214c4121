"""The command that renders: a merged picture, raw frames, or a scene of the library, into a file."""

import argparse
import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from crenn import arguments as typed
from crenn.core.errors import CrennError
from crenn.library_commands import add_database, scene_and_treatment

if TYPE_CHECKING:
    from crenn.core.colorimetry.profiles import IccProfile
    from crenn.core.deliver.output import Output
    from crenn.core.render.pyramid import PreparedScene
    from crenn.core.treatment import Treatment

#: Options that stand for one value of an output, and where in it that is.
_VALUES = {
    "space": ("space",),
    "quality": ("quality",),
    "hdr": ("hdr",),
    "most_kb": ("most_kb",),
    "bits": ("bits",),
    "half": ("half",),
    "sharpen": ("sharpen",),
    "caption_told": ("about", "caption"),
    "title": ("about", "title"),
    "creator": ("about", "creator"),
    "copyright": ("about", "copyright"),
}


def add_render(commands, scene_of: Callable[[argparse.Namespace], "PreparedScene"]) -> None:
    """Add the command; ``scene_of`` reads or merges what is named on the command line."""
    p = commands.add_parser("render", help="render a merged picture, raw frames, or a scene of the library")
    p.add_argument("inputs", nargs="*", type=Path, metavar="INPUT")
    p.add_argument("--scene", type=int, metavar="SCENE", help="a scene of the library, by its number")
    p.add_argument("--take", metavar="NAME", help="of its takes (default: the one that is worked on)")
    add_database(p)
    p.add_argument("--library", type=Path, help="shared library folder (default: CRENN_LIBRARY)")
    p.add_argument(
        "--preset", type=typed.preset, action="append", metavar="F.json[@STRENGTH]", help="put on, by a strength in %%"
    )
    p.add_argument("--treatment", type=Path, metavar="T.(json|jpg|...)", help="of a file, or as a picture carries it")
    p.add_argument(
        "--start",
        metavar="NAME",
        help="where light starts from: as-it-was, even, dramatic or as-the-camera-showed-it",
    )
    p.add_argument("--output", type=Path, metavar="O.json", help="what the file is to be like, see docs/deliver.md")
    size = p.add_mutually_exclusive_group()
    size.add_argument("--long-edge", type=typed.positive, metavar="PX")
    size.add_argument("--print", type=typed.above_nothing, metavar="CM", help="longer side of a print, in cm")
    size.add_argument("--share", type=typed.above_nothing, metavar="PERCENT", help="of each side")
    size.add_argument("--megapixels", type=typed.above_nothing, metavar="MP")
    p.add_argument("--dpi", type=int, metavar="N", help="of the print (default 300)")
    p.add_argument("--enlarge", action="store_true", help="a picture that has fewer pixels, up to four times")
    p.add_argument("--space", choices=("srgb", "p3", "oprgb", "romm", "rec2020"))
    p.add_argument("--profile", type=Path, metavar="P.icc", help="an ICC profile of RGB, in the place of the space")
    p.add_argument("--quality", type=int, metavar="1-100", help="of JPEG, AVIF and WebP")
    p.add_argument(
        "--hdr",
        type=typed.above_nothing,
        metavar="STOPS",
        help="above white that lamps reach: JPEG with a gain map, AVIF and PNG as Rec. 2100 PQ",
    )
    p.add_argument("--most-kb", type=int, metavar="KB", help="that the file may have at most: quality falls for it")
    p.add_argument("--bits", type=int, choices=(8, 16), help="of PNG and TIFF")
    p.add_argument("--half", action="store_true", default=None, help="OpenEXR of 16 bits")
    p.add_argument("--sharpen", choices=("none", "screen", "glossy", "matt"), help="for what it is looked at on")
    p.add_argument("--title", metavar="TEXT", help="in the file, as are those that follow")
    p.add_argument("--caption-told", metavar="TEXT")
    p.add_argument("--creator", metavar="TEXT")
    p.add_argument("--copyright", metavar="TEXT")
    p.add_argument("--border", type=float, metavar="PERCENT", help="round the picture, in %% of its longer side")
    p.add_argument("--border-shade", choices=("white", "grey", "black"), default="white")
    p.add_argument("--caption", metavar="TEXT", help="a line within the lower border")
    p.add_argument("--out", required=True, type=Path, metavar="OUT.(exr|dng|tif|png|jpg|avif|webp)")
    p.add_argument("--noise-model", type=Path, metavar="N.json", help=typed.NOISE_MODEL)
    p.set_defaults(run=lambda arguments: _render(arguments, scene_of))


def _render(arguments: argparse.Namespace, scene_of: Callable[[argparse.Namespace], "PreparedScene"]) -> None:
    from crenn.core.basis import basis_of
    from crenn.core.deliver.files import deliver
    from crenn.core.deliver.metadata import CaptureMetadata
    from crenn.core.frames.read import frame_metadata
    from crenn.core.render.renderer import Renderer
    from crenn.core.starts.starts import start_values
    from crenn.core.treatment import Treatment

    output = _output(arguments)
    metadata = CaptureMetadata()
    if (arguments.scene is None) == (not arguments.inputs):
        raise CrennError("One of both is needed:", remedy="name a merged picture or frames, or give --scene.")
    if arguments.scene is not None:
        scene, treatment, original = scene_and_treatment(arguments)
        if original is not None:
            metadata = CaptureMetadata.of(frame_metadata(original))
    else:
        treatment, scene = Treatment(), scene_of(arguments)
        if not (len(arguments.inputs) == 1 and arguments.inputs[0].suffix.lower() == ".exr"):
            metadata = CaptureMetadata.of(frame_metadata(arguments.inputs[scene.report["reference"]]))
    if arguments.treatment:
        treatment = _treatment_of(arguments.treatment)
    treatment = _with_presets(arguments, treatment.in_basis(*basis_of(scene.report)), scene)
    if arguments.start:
        treatment = treatment.started(start_values(scene.light, arguments.start))
    if treatment.takes_noise:
        scene.split_noise()
    profile = None
    if arguments.profile is not None:
        profile = _profile_of(arguments.profile)
        output = output.model_copy(update={"profile": profile.title[:60]})
    deliver(Renderer(scene), treatment, arguments.out, output, metadata, profile=profile)


def _profile_of(path: Path) -> "IccProfile":
    from crenn.core.colorimetry.profiles import read_profile

    try:
        return read_profile(path.read_bytes(), path)
    except OSError as fault:
        raise CrennError("cannot be read.", path, "Check its name.") from fault


def _treatment_of(path: Path) -> "Treatment":
    """The treatment of a JSON file, or the one that a delivered picture carries."""
    from crenn.core.deliver.xmp import CARRIERS, treatment_in
    from crenn.core.treatment import read_treatment

    return treatment_in(path) if path.suffix.lower() in CARRIERS else read_treatment(path)


def _with_presets(arguments: argparse.Namespace, treatment: "Treatment", scene: "PreparedScene") -> "Treatment":
    """A treatment with the presets of the command line put on."""
    from crenn.core.area_presets import sides_of
    from crenn.core.presets import Preset, on_top
    from crenn.core.treatment import automatic_values

    if not arguments.preset:
        return treatment
    height, width = scene.size
    presets = [(Preset.read(path), strength) for path, strength in arguments.preset]
    return on_top(treatment, presets, automatic=automatic_values(scene.light), scene=sides_of(width, height))


def read_output(path: Path | None) -> "Output":
    """What a file is to be like, as another tells; as usual if none does."""
    from crenn.core.deliver.output import Output

    if path is None:
        return Output()
    try:
        return Output.model_validate(json.loads(path.read_text("utf-8")))
    except (OSError, ValueError) as fault:
        raise CrennError("tells of no output:", path, _first(fault)) from None


def _output(arguments: argparse.Namespace) -> "Output":
    """What the file is to be like: of the file that tells, and over it what options do."""
    from pydantic import ValidationError

    from crenn.core.deliver.output import FORMATS, Output

    ending = arguments.out.suffix.lower().lstrip(".")
    file_format = {"tiff": "tif", "jpeg": "jpg"}.get(ending, ending)
    if file_format not in FORMATS:
        told = ", ".join(FORMATS[:-1])
        raise CrennError(f"“{file_format}” is no format to deliver;", arguments.out, f"use {told} or {FORMATS[-1]}.")
    document: dict[str, Any] = read_output(arguments.output).model_dump() if arguments.output else {}
    document["format"] = file_format
    sizes = {"pixels": arguments.long_edge, "cm": arguments.print, "share": arguments.share}
    sizes |= {"megapixels": arguments.megapixels, "dpi": arguments.dpi, "enlarge": arguments.enlarge or None}
    given = {name: value for name, value in sizes.items() if value is not None}
    by = next((name for name in given if name not in ("dpi", "enlarge")), None)
    if given:
        size = document.setdefault("size", {})
        size |= given | ({} if by is None else {"by": "print" if by == "cm" else by})
    for option, path in _VALUES.items():
        if (value := getattr(arguments, option)) is not None:
            section = document
            for name in path[:-1]:
                section = section.setdefault(name, {})
            section[path[-1]] = value
    if arguments.border is not None or arguments.caption is not None:
        width = 3.0 if arguments.border is None else arguments.border
        document["border"] = {"width": width, "shade": arguments.border_shade, "caption": arguments.caption or ""}
    try:
        return Output.model_validate(document)
    except ValidationError as fault:
        raise CrennError("This output cannot be:", remedy=_first(fault)) from None


def _first(fault: Exception) -> str:
    """What is wrong, of the first thing that is."""
    from pydantic import ValidationError

    from crenn.core.document import wrong_value

    if not isinstance(fault, ValidationError):
        return str(fault)
    where, why = wrong_value(fault)
    return f"{where}: {why}."
