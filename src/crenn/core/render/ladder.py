"""The placement lines of the ladder: the treatment's program run over a row of greys."""

import numpy as np

from crenn.core.colorimetry.spaces import SRGB_TO_XYZ, lightness
from crenn.core.pipeline.instructions import table_stops
from crenn.core.render.display import Display, shown_of
from crenn.core.render.encode import EvenPatchInputs, encode
from crenn.core.render.programs import program_of
from crenn.core.render.source import Source
from crenn.core.treatment import Treatment


def ladder(treatment: Treatment, scene: Source) -> list[tuple[float, float]]:
    """On which tone each whole and half stop of the scene is placed: pairs of stop and tone in %.

    The tone is CIE lightness L*. A large even patch of grey outside all areas is meant: base and pixel stand on the
    same stop, and nothing departs from its surroundings.
    """
    report = scene.report
    low = int(np.floor(report["low_stop"])) - 2
    high = int(np.ceil(max([report["high_stop"]] + [f["clip_stop"] for f in report.get("frames", [])]))) + 2
    stops = np.arange(low * 2, high * 2 + 1) / 2
    even = treatment.with_sections(areas=[]) if treatment.areas else treatment
    program = program_of(even, scene.light).without_cleaning()
    inputs = encode(program, EvenPatchInputs(stops))
    light, _ = shown_of(inputs, Display.of(program))
    tones = lightness(light[0].astype(np.float64) @ SRGB_TO_XYZ[1])
    return [(float(s), round(float(t), 2)) for s, t in zip(stops, tones)]


def tones(treatment: Treatment, scene: Source) -> list[tuple[float, float]]:
    """How light of the picture is shown: pairs of EV relative to its white, every half, and tone in %."""
    stops = np.arange(-24, 9) / 2
    shown = np.interp(stops, table_stops(), program_of(treatment, scene.light).shown)
    return [(float(s), round(float(t), 2)) for s, t in zip(stops, lightness(np.clip(shown, 0, 1)))]
