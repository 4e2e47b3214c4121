"""The placement lines of the ladder: the treatment's program run over a row of greys."""

import numpy as np

from crenn.core.colorimetry.spaces import SRGB_TO_XYZ, lightness, srgb_decode
from crenn.core.pipeline.planes import Plane
from crenn.core.pipeline.program import Instruction, table_stops
from crenn.core.render.compiled import instructions_of, program_of
from crenn.core.render.grid import LAYER, even_base, looked_up
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.show import codes_of
from crenn.core.treatment import Treatment


def _even(cells: np.ndarray, instruction: Instruction) -> np.ndarray:
    """What an instruction's grid holds for an even patch, float32 like the cells of its base."""
    curve, carried = instruction.grid, instruction.carried
    if curve is not None:
        return looked_up(cells, curve)
    # No haze lies before a patch of grey; what compresses adds what placement does.
    even = carried.even if carried is not None else None
    return np.zeros_like(cells) if even is None else np.asarray(even(cells), np.float32)


def ladder(treatment: Treatment, scene: PreparedScene) -> list[tuple[float, float]]:
    """On which tone each whole and half stop of the scene is placed: pairs of stop and tone in %.

    The tone is CIE lightness L*. A large even patch of grey outside all areas is meant: base and pixel stand on the
    same stop, and nothing departs from its surroundings.
    """
    report = scene.report
    low = int(np.floor(report["low_stop"])) - 2
    high = int(np.ceil(max([report["high_stop"]] + [f["clip_stop"] for f in report.get("frames", [])]))) + 2
    stops = np.arange(low * 2, high * 2 + 1) / 2
    program = program_of(treatment.model_copy(update={"areas": []}), scene.light).without_cleaning()
    greys = np.repeat(np.exp2(stops)[None, :, None], 3, -1).astype(np.float32)
    base = even_base()
    reading = [i for i in program.instructions if i.reads_grid]
    grids = [i.grid for i in reading]
    cells = [_even(base.cells, i).ravel() for i in reading] or [np.zeros(1, np.float32)]
    shapes = [(k * base.cells.size, *base.cells.shape) for k in range(len(grids))] or [(0, 0, 0, 0)]
    about = [(1.0, 0.0, 0.0, base.start, 1.0 / LAYER, 0.0 if g is None else g.stretch) for g in grids] or [(1.0,) * 6]
    planes: list[Plane] = program.planes
    codes = np.empty(greys.shape, np.uint16)
    codes_of(
        greys,
        *instructions_of(program),
        np.concatenate(cells),
        np.array(shapes, np.int64),
        np.array(about, np.float64),
        np.zeros((1, 1, 1), np.uint16),
        np.zeros((1, 1, 2), np.int32),
        np.zeros((max(len(planes), 1), 1, stops.size), np.float32),
        np.float32(base.floor),
        any(i.reads_base for i in program.instructions),
        0.0,
        1.0,
        program.shown.astype(np.float32),
        np.float32(program.fade),
        np.float32(65535),
        np.float32(0),
        codes,
        np.empty(codes.shape[:2], np.uint8),
    )
    tones = lightness(srgb_decode(codes[0] / 65535.0) @ SRGB_TO_XYZ[1])
    return [(float(s), round(float(t), 2)) for s, t in zip(stops, tones)]


def tones(treatment: Treatment, scene: PreparedScene) -> list[tuple[float, float]]:
    """How light of the picture is shown: pairs of EV relative to its white, every half, and tone in %."""
    stops = np.arange(-24, 9) / 2
    shown = np.interp(stops, table_stops(), program_of(treatment, scene.light).shown)
    return [(float(s), round(float(t), 2)) for s, t in zip(stops, lightness(np.clip(shown, 0, 1)))]
