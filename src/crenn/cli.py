"""The command line: the headless job, and the commands that start the application."""

import argparse
import faulthandler
import json
import os
import sys
from pathlib import Path

from crenn import arguments as typed
from crenn.core.errors import Cancelled, CrennError
from crenn.deliver_command import add_deliver
from crenn.library_commands import add_commands
from crenn.memory import keep_memory
from crenn.render_command import add_render
from crenn.series_command import add_series


def _instructions(arguments):
    from crenn.core.merge.instructions import Instructions

    base = Instructions.read(arguments.instructions) if arguments.instructions else Instructions()
    changes = {"align": False} if arguments.no_align else {}
    changes |= {"deghost": False} if arguments.no_deghost else {}
    changes |= {"mode": arguments.mode} if arguments.mode else {}
    changes |= {"method": arguments.method} if arguments.method else {}
    return base.model_copy(update=changes)


def _models(arguments) -> list:
    from crenn.core.frames.camera_noise import read_models

    return read_models(arguments.noise_model) if arguments.noise_model else []


def _merge(arguments) -> None:
    from crenn.core.files import replacing
    from crenn.core.merge.merge import merge_frames
    from crenn.core.radiance import write_exr

    models = _models(arguments)
    radiance = merge_frames(arguments.frames, arguments.reference, instructions=_instructions(arguments), models=models)
    write_exr(arguments.out, radiance.rgb, radiance)
    if arguments.report:
        with replacing(arguments.report) as temporary:
            temporary.write_text(json.dumps(radiance.report, indent=1))
    for text in radiance.report["set_aside"] + radiance.report["calibration"] + radiance.report["warnings"]:
        print(f"crenn: {text}")


def _one_map(inputs: list[Path]) -> bool:
    """Whether a merged map is given, and not frames."""
    return len(inputs) == 1 and inputs[0].suffix.lower() == ".exr"


def _scene(arguments):
    """The scene of a merged map, or of frames that are merged now."""
    from crenn.core.merge.merge import merge_frames
    from crenn.core.radiance import read_exr
    from crenn.core.render.pyramid import PreparedScene

    if _one_map(arguments.inputs):
        return PreparedScene.from_radiance(read_exr(arguments.inputs[0]))
    # By what the library knows frames by: documents hold on to it.
    keys = [_key_of(path) for path in arguments.inputs]
    radiance = merge_frames(arguments.inputs, models=_models(arguments), keys=keys)
    return PreparedScene.from_radiance(radiance, dict(zip(keys, arguments.inputs)).get)


def _key_of(path: Path) -> str:
    """A frame's content hash; of one that cannot be read, which the merge will tell of, its name."""
    from crenn.core.files import content_hash

    try:
        return content_hash(path)
    except OSError:
        return path.name


def _horizon(arguments) -> None:
    from dataclasses import asdict

    from crenn.core.render.renderer import Renderer
    from crenn.core.render.signal import reach_of, signal
    from crenn.core.treatment import Treatment, read_treatment

    treatment = read_treatment(arguments.treatment) if arguments.treatment else Treatment()
    scene = _scene(arguments)
    if not scene.has("sigma"):
        raise CrennError("has no predicted noise, so nothing tells its horizon.", arguments.inputs[0])
    if treatment.takes_noise:
        scene.split_noise()
    edge = arguments.long_edge
    if arguments.print:
        edge = round(arguments.print / 2.54 * arguments.dpi)
    found = signal(Renderer(scene), treatment, edge)
    ends = scene.report["low_stop"], scene.report["high_stop"]
    told = {"before": found.before, "after": found.after if treatment.takes_noise else None}
    reaches = {name: asdict(reach_of(found, snr, ends)) for name, snr in told.items() if snr is not None}
    if arguments.json:
        print(json.dumps({"long_edge": edge or max(scene.size)} | reaches))
        return
    for name, reach in reaches.items():
        print(
            f"{name:>6}: horizon {reach['horizon']:+.1f} EV; from {reach['lifted']:+.1f} EV up light can be lifted to "
            f"middle grey, by up to {reach['ev']:.1f} EV"
        )


def _colour(arguments) -> None:
    from dataclasses import asdict

    from crenn.core.render.colour_analysis import cast_of, pick
    from crenn.core.render.renderer import Renderer
    from crenn.core.treatment import Treatment, read_treatment

    treatment = read_treatment(arguments.treatment) if arguments.treatment else Treatment()
    if not arguments.at and not arguments.cast:
        raise CrennError("Nothing is asked.", remedy="Ask for places with --at, or for a cast with --cast.")
    # Means of places and casts hardly change with noise, and splitting it off takes a minute.
    renderer = Renderer(_scene(arguments))
    places = [asdict(pick(renderer, treatment, place, arguments.patch / 2)) for place in arguments.at or ()]
    cast = None
    if arguments.cast:
        red, blue = cast_of(renderer, treatment, arguments.cast, arguments.box, (arguments.above, arguments.below))
        cast = {"red": red, "blue": blue}
    if arguments.json:
        print(json.dumps({"places": places} | ({"cast": cast} if cast else {})))
        return
    for place, found in zip(arguments.at or (), places):
        print(
            f"{place[0]:g},{place[1]:g}: hue {found['hue']:.1f}° ± {found['spread']:.1f}°, saturation "
            f"{100 * found['saturation']:.1f} %, {found['stop']:+.2f} EV, sRGB {' '.join(map(str, found['code']))}"
        )
    if cast:
        print(f"cast: red {cast['red']:+.3f} EV, blue {cast['blue']:+.3f} EV over green")


def _noise_model(arguments) -> None:
    from crenn.core.frames.camera_noise import fit_camera_noise, write_models
    from crenn.core.frames.read import read_frame

    models = fit_camera_noise([read_frame(path) for path in arguments.frames], arguments.box or ())
    write_models(arguments.out, models)
    for model in models:
        print(
            f"{model.make} {model.model} ISO {model.iso:.0f}: var(x) = {model.slope[1]:.3e} x + {model.offset[1]:.3e}"
        )


def _mask(arguments) -> None:
    from crenn.core.basis import basis_of
    from crenn.core.deliver.files import deliver_mask
    from crenn.core.render.renderer import Renderer
    from crenn.core.treatment import read_treatment

    if arguments.out.suffix.lower() != ".png":
        raise CrennError("A mask is written as PNG;", arguments.out, "let the file's name end in .png.")
    treatment = read_treatment(arguments.treatment)
    names = [area.name for area in treatment.areas]
    wanted = arguments.area
    index = names.index(wanted) if wanted in names else int(wanted) - 1 if wanted.isdecimal() else -1
    if not 0 <= index < len(names):
        told = ", ".join(f"“{name}”" for name in names) or "none"
        raise CrennError(f"has no area “{wanted}”;", arguments.treatment, f"there are: {told}.")
    scene = _scene(arguments)
    treatment = treatment.in_basis(*basis_of(scene.report))
    deliver_mask(Renderer(scene), treatment, treatment.areas[index], arguments.out)


def _shoot(arguments) -> None:
    from crenn.camera.dawn import shoot_dawn
    from crenn.camera.sensor import Sensor
    from crenn.camera.shoot import Bracket, scene_named, shoot
    from crenn.core.progress import Progress

    def tell(share: float, text: str) -> bool:
        print(f"{share:4.0%} {text}", flush=True)
        return True

    bracket = None
    if any(v is not None for v in (arguments.frames, arguments.step, arguments.iso, arguments.shake, arguments.shift)):
        scene = scene_named(arguments.scene)
        middle = scene.exposures[(len(scene.exposures) - 1) // 2]
        bracket = Bracket.chosen(
            scene,
            arguments.frames or len(scene.exposures),
            2.0 if arguments.step is None else arguments.step,
            arguments.iso or middle.iso,
            arguments.shake or 0.0,
            arguments.shift or 0.0,
            arguments.seed,
        )
    if arguments.times is not None:
        shoot_dawn(
            arguments.scene,
            arguments.out,
            arguments.times,
            arguments.every,
            arguments.rise,
            size=arguments.size,
            bracket=bracket,
            seed=arguments.seed,
            sensor=Sensor(flaws=arguments.flaws),
            progress=Progress(tell),
        )
        return
    shoot(
        arguments.scene,
        arguments.out,
        arguments.size,
        arguments.seed,
        progress=Progress(tell),
        bracket=bracket,
        faulty=arguments.lens == "wide",
        infrared=arguments.filter == "infrared",
        sensor=Sensor(flaws=arguments.flaws),
    )


def _bench(arguments) -> None:
    from crenn.bench.run import run_bench

    run_bench(arguments.names, arguments.json)


def _serve(arguments) -> None:
    from crenn.serve import serve

    serve(
        arguments.data,
        arguments.port,
        demo=arguments.command == "demo",
        bind=arguments.bind,
        roots=arguments.root or [],
        names=arguments.host or [],
        proxies=arguments.proxy or [],
    )


def _worker(arguments) -> None:
    if arguments.threads is not None:
        # Read once, as kernels are first asked for.
        os.environ["NUMBA_NUM_THREADS"] = str(arguments.threads)
        import cv2

        cv2.setNumThreads(arguments.threads)
    from crenn import environment
    from crenn.jobs.worker import run_worker
    from crenn.log import log_to_stderr

    url, folder = environment.database_url(arguments.database), environment.library_folder(arguments.library)
    server, token = environment.server_address(arguments.server), environment.worker_token()
    if server is not None and token is None:
        raise CrennError("A worker without the shared folder needs a token:", remedy="set CRENN_WORKER_TOKEN.")
    log_to_stderr(environment.log_level())
    run_worker(url, folder, environment.parent_process(), server, token)


class _OneLine(argparse.ArgumentParser):
    """A parser that tells a fault in one line, like all of Crenn's commands."""

    def error(self, message: str):
        self.exit(2, f"crenn: {message}. See: {self.prog} --help\n")


def parser() -> argparse.ArgumentParser:
    """The command line's grammar."""
    top = _OneLine(prog="crenn", description="Merges bracketed raw frames and places many stops of light on few tones.")
    commands = top.add_subparsers(dest="command", required=True, metavar="COMMAND")
    for name, text in (
        ("demo", "set up, load the Tarrowick demo, serve, print the address"),
        ("serve", "set up, serve, print the address"),
    ):
        p = commands.add_parser(name, help=text)
        p.add_argument("--port", type=int, default=8642, help="port to listen on (default 8642)")
        p.add_argument("--data", type=Path, default=None, help="folder for the database and the library (default var/)")
        p.add_argument("--bind", default="127.0.0.1", help="address to listen on; any but loopback needs CRENN_SECRET")
        p.add_argument(
            "--root", type=Path, action="append", help="folder that frames may be brought in from; repeatable"
        )
        p.add_argument(
            "--host",
            type=typed.host,
            action="append",
            metavar="NAME",
            help="name under which it is reached, besides the machine's addresses; repeatable",
        )
        p.add_argument(
            "--proxy",
            type=typed.address,
            action="append",
            metavar="ADDRESS",
            help="address of a proxy whose X-Forwarded-Proto and -For are believed; repeatable",
        )
        p.set_defaults(run=_serve)
    p = commands.add_parser("worker", help="run a further queue worker")
    p.add_argument("--database", help="database URL (default: CRENN_DATABASE)")
    p.add_argument(
        "--library", type=Path, help="shared library folder, or with --server one of its own (default: CRENN_LIBRARY)"
    )
    p.add_argument(
        "--server",
        metavar="ADDRESS",
        help="application that files come from and go to where no folder is shared (default: CRENN_SERVER); needs its "
        "CRENN_WORKER_TOKEN",
    )
    p.add_argument(
        "--threads",
        type=typed.positive,
        metavar="N",
        help="that it takes (default: one for each core); where several work on a machine, all together its cores",
    )
    p.set_defaults(run=_worker)
    commands.add_parser("test", help="set up what is missing and run every test")
    p = commands.add_parser("merge", help="merge raw frames into one radiance map")
    p.add_argument("frames", nargs="+", type=Path, metavar="FRAME")
    p.add_argument("--out", required=True, type=Path, metavar="OUT.exr")
    p.add_argument("--report", type=Path, metavar="R.json")
    p.add_argument("--reference", type=int, metavar="N", help="index of the reference frame, from 0")
    p.add_argument("--no-align", action="store_true", help="take the frames as they lie, as from a tripod")
    p.add_argument("--no-deghost", action="store_true", help="take the scene as still")
    p.add_argument(
        "--mode", choices=("auto", "bracket", "stack"), help="several exposures or equal frames (default auto)"
    )
    p.add_argument("--method", choices=("auto", "mean", "clipped", "median", "maximum"), help="how a stack becomes one")
    p.add_argument("--instructions", type=Path, metavar="M.json", help="merge instructions, see docs/merge.md")
    p.add_argument("--noise-model", type=Path, metavar="N.json", help=typed.NOISE_MODEL)
    p.set_defaults(run=_merge)
    add_commands(commands)
    add_render(commands, _scene)
    add_series(commands)
    add_deliver(commands)
    p = commands.add_parser("mask", help="the mask of an area of a treatment, as a grey PNG of 16 bits")
    p.add_argument("inputs", nargs="+", type=Path, metavar="INPUT")
    p.add_argument("--treatment", type=Path, required=True, metavar="T.json")
    p.add_argument("--area", required=True, metavar="NAME", help="of the area, or its number from 1")
    p.add_argument("--out", required=True, type=Path, metavar="OUT.png")
    p.add_argument("--noise-model", type=Path, metavar="N.json", help=typed.NOISE_MODEL)
    p.set_defaults(run=_mask)
    p = commands.add_parser("horizon", help="how far down a picture can be used, at the size it will have")
    p.add_argument("inputs", nargs="+", type=Path, metavar="INPUT")
    p.add_argument("--treatment", type=Path, metavar="T.json")
    output = p.add_mutually_exclusive_group()
    output.add_argument("--long-edge", type=typed.positive, metavar="PX", help="of the picture (default full size)")
    output.add_argument("--print", type=typed.above_nothing, metavar="CM", help="longer side of a print, in cm")
    p.add_argument("--dpi", type=typed.above_nothing, default=300.0, help="of the print (default 300)")
    p.add_argument("--noise-model", type=Path, metavar="N.json", help=typed.NOISE_MODEL)
    p.add_argument("--json", action="store_true")
    p.set_defaults(run=_horizon)
    p = commands.add_parser("colour", help="the colour of places of a picture, and its cast")
    p.add_argument("inputs", nargs="+", type=Path, metavar="INPUT")
    p.add_argument("--treatment", type=Path, metavar="T.json")
    p.add_argument(
        "--at",
        type=typed.place,
        action="append",
        metavar="X,Y",
        help="a place, in shares of the scene's longer side; repeatable",
    )
    p.add_argument("--patch", type=typed.positive, default=25, metavar="PX", help="side of a place (default 25)")
    p.add_argument("--cast", choices=("edges", "dull"), help="find the cast, by edges or by dull colours")
    p.add_argument("--box", type=typed.box, metavar="X,Y,W,H", help="where the cast is looked for (default everywhere)")
    p.add_argument("--above", type=typed.tone, metavar="EV", help="tone from which on it is looked for, 0 for white")
    p.add_argument("--below", type=typed.tone, metavar="EV", help="tone up to which it is looked for")
    p.add_argument("--noise-model", type=Path, metavar="N.json", help=typed.NOISE_MODEL)
    p.add_argument("--json", action="store_true")
    p.set_defaults(run=_colour)
    p = commands.add_parser("noise-model", help="fit the noise of a camera on its frames")
    p.add_argument("frames", nargs="+", type=Path, metavar="FRAME")
    p.add_argument("--out", required=True, type=Path, metavar="N.json")
    p.add_argument(
        "--box",
        type=typed.box,
        action="append",
        metavar="X,Y,W,H",
        help="a smooth place, in shares of the picture's longer side; repeatable (default: found)",
    )
    p.set_defaults(run=_noise_model)
    p = commands.add_parser("shoot", help="the simulated camera: DNG frames and their truth")
    p.add_argument("scene", metavar="SCENE")
    p.add_argument("--out", required=True, type=Path, metavar="DIR")
    p.add_argument("--size", type=typed.size, default=(6000, 4000), metavar="WxH")
    p.add_argument("--seed", type=int, default=1, metavar="N")
    p.add_argument("--frames", type=typed.positive, metavar="N", help="another bracket than the scene's: frames")
    p.add_argument("--step", type=float, metavar="EV", help="between frames; 0 for a stack")
    p.add_argument("--iso", type=float)
    p.add_argument("--shake", type=float, metavar="DEG", help="of a hand-held camera, in degrees")
    p.add_argument(
        "--lens",
        choices=("ideal", "wide"),
        default="ideal",
        help="a lens without faults, or a wide zoom with those of a real one, which the lens database describes",
    )
    p.add_argument("--filter", choices=("none", "infrared"), default="none", help="before the lens")
    p.add_argument("--shift", type=float, metavar="EV", help="expose all frames more")
    p.add_argument(
        "--flaws", type=typed.flaws, default="0", metavar="N", help="1 for a real sensor's, or some: dust=2,glare=1"
    )
    p.add_argument("--times", type=int, metavar="N", help="again and again while it dawns: a series of N brackets")
    p.add_argument("--every", type=typed.above_nothing, default=30.0, metavar="S", help="seconds from one to the next")
    p.add_argument("--rise", type=float, default=4.0, metavar="EV", help="by which it gets lighter in all (default 4)")
    p.set_defaults(run=_shoot)
    p = commands.add_parser("bench", help="measure picture quality and speed")
    p.add_argument("names", nargs="*", metavar="NAME")
    p.add_argument("--json", action="store_true")
    p.set_defaults(run=_bench)
    return top


def main(argv: list[str] | None = None) -> int:
    """Run a command; 0, or 1 with one line on stderr."""
    arguments = parser().parse_args(argv)
    keep_memory()
    if arguments.command in ("merge", "render", "mask", "horizon", "colour", "noise-model", "shoot", "series"):
        from crenn.log import log_nothing

        log_nothing()
        # Libraries for raw and EXR files write to both channels by themselves; ours is one line that names the file,
        # so theirs goes nowhere while Python keeps the real channels. Should one of them end the process, where it
        # was is told there.
        sys.stdout, sys.stderr = (os.fdopen(os.dup(n), "w") for n in (1, 2))
        faulthandler.enable(sys.stderr)
        if not os.environ.get("CRENN_DEBUG"):
            nowhere = os.open(os.devnull, os.O_WRONLY)
            for n in (1, 2):
                os.dup2(nowhere, n)
    try:
        arguments.run(arguments)
    except CrennError as fault:
        print(f"crenn: {' '.join(str(fault).split())}", file=sys.stderr)
        return 1
    except (KeyboardInterrupt, Cancelled):
        print("crenn: cancelled", file=sys.stderr)
        return 130
    except MemoryError:
        print("crenn: not enough memory for pictures of this size", file=sys.stderr)
        return 1
    except Exception as fault:
        if os.environ.get("CRENN_DEBUG"):
            raise
        text = " ".join(str(fault).split())
        print(f"crenn: an unexpected fault, {type(fault).__name__}: {text} (CRENN_DEBUG=1 tells more)", file=sys.stderr)
        return 1
    return 0
