"""What is left of a lens whose faults are known, and what a picture itself tells of them."""

import tempfile
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.table import Table
from crenn.camera.glass import Glass
from crenn.camera.shoot import Shot, shoot
from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import CrennError
from crenn.core.lens.falloff import MEASURED, measure_falloff
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.mosaic.fringes import radial_shifts
from crenn.core.radiance import RadianceMap, read_exr
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

_SCENES = ("kiln-yard", "lock-basin")
_SIZE = (3000, 2000)
#: Where a lens's faults show, in half diagonals.
_FAR = 0.65
#: Standard error, in pixels, up to which a tile's shift is counted.
_CLEAR = 0.15


def corrected(scene: PreparedScene, **lens) -> np.ndarray:
    """The scene's light with nothing done to it but the lens, float32 (H, W, 3)."""
    document = Treatment.neutral().model_dump() | {"lens": {"on": True} | lens, "crop": {"on": False}}
    return Renderer(scene).linear(parse_treatment(document), Window.whole(scene.size))


def shifts_left(light: np.ndarray, truth: np.ndarray, to_camera: np.ndarray, floor: float) -> list[float]:
    """Radial shifts against the truth far from the middle, in pixels.

    Green's median and what 95 of 100 places have at most, and the medians of red's and blue's less green's.
    """
    one, other = (np.log2(np.maximum(v @ to_camera.T.astype(np.float32), floor)) for v in (truth, light))
    half = float(np.hypot(*light.shape[:2])) / 2
    out = []
    for channel in range(3):
        radius, shift, error, _, _ = radial_shifts(
            np.ascontiguousarray(other[..., channel]), np.ascontiguousarray(one[..., channel])
        ).T
        clear = (radius > _FAR) & (error * half < _CLEAR)
        out.append(shift[clear] * half if clear.any() else np.full(1, np.nan))
    return [
        float(np.median(np.abs(out[1]))),
        float(np.percentile(np.abs(out[1]), 95)),
        *(float(abs(np.median(out[c]) - np.median(out[1]))) for c in (0, 2)),
    ]


def falloff_left(light: np.ndarray, truth: np.ndarray) -> float:
    """EV by which the corners differ from the truth, at most."""
    height, width = light.shape[:2]
    ev = np.log2(np.maximum(luminance(light), 1e-6) / np.maximum(luminance(truth), 1e-6))
    parts = [ev[: height // 20, : width // 20], ev[: height // 20, -width // 20 :]]
    parts += [ev[-height // 20 :, : width // 20], ev[-height // 20 :, -width // 20 :]]
    return max(abs(float(np.median(part))) for part in parts)


def _merged(shot: Shot, fringes: bool) -> PreparedScene:
    return PreparedScene.from_radiance(
        merge_frames(shot.frames, shot.reference, instructions=Instructions(fringes=fringes))
    )


def left() -> Table:
    """What is left once the wide zoom is found in the database."""
    columns = ("green, px", "95 %", "red, px", "blue, px", "fall-off, EV")
    table = Table("Lens: left of the wide zoom's faults against one without, at 6 MP", columns)
    for name in _SCENES:
        with tempfile.TemporaryDirectory() as folder:
            shot = shoot(name, Path(folder), _SIZE, faulty=True)
            truth = read_exr(shot.truth).rgb
            early, late = _merged(shot, True), _merged(shot, False)
            to_camera = early.light.capture.to_camera
            for label, scene, lens in (
                ("as drawn", late, {"profile": ""}),
                ("fringes taken after the demosaic", late, {}),
                ("fringes taken before it", early, {}),
            ):
                light = corrected(scene, **lens)
                row = shifts_left(light, truth, to_camera, scene.floor)
                table.add(f"{name}: {label}", *row, falloff_left(light, truth))
    return table


def told() -> Table:
    """Fall-off that pictures tell of themselves, darkened by the wide zoom's at known apertures."""
    table = Table("Lens: fall-off measured on the picture, EV off at the corner", ("f/11", "f/5.6", "f/2.8"))
    for name in _SCENES:
        with tempfile.TemporaryDirectory() as folder:
            shot = shoot(name, Path(folder), (1200, 800))
            rgb = merge_frames(shot.frames, shot.reference).rgb
        scene = PreparedScene.from_radiance(RadianceMap(rgb, None))
        factor = MEASURED / max(rgb.shape)
        small = cv2.resize(rgb, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
        size = small.shape[1], small.shape[0]
        row: list[float | None] = []
        for aperture in (11.0, 5.6, 2.8):
            glass = Glass(30.0, size).transmission(aperture)
            try:
                found, _ = measure_falloff(
                    small * glass[..., None], scene.floor, np.array(size) / 2, float(np.hypot(*size)) / 2
                )
                row.append(found + float(np.log2(glass[0, 0])))
            except CrennError:
                row.append(None)
        table.add(name, *row)
    return table


def bench() -> list[Table]:
    return [left(), told()]
