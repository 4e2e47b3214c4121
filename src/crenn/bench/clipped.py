"""Clipped light in one frame: what is rebuilt of it, beside the raw decoder's own modes on the same files."""

import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import rawpy

from crenn.bench.table import Table
from crenn.camera.scenes import SCENES
from crenn.camera.sensor import Sensor
from crenn.camera.shoot import Bracket, neutral_of, scene_named, shoot
from crenn.core.colorimetry.spaces import REC2020_TO_XYZ, delta_e2000, luminance, xyz_to_lab
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import read_exr

_SIZE = (3000, 2000)
#: EV by which each scene's middle exposure is given more, so that something clips and most does not.
_SHIFT = {"lock-basin": 2.0, "ferry-hall": 1.0, "dam-crest": 1.0, "ridge-observatory": 1.0, "kiln-yard": 1.0}
#: Luminance, of white, to which brighter light is brought before colours are compared: what is whiter has no colour.
_SHOWN = 0.7
_MODES = {
    "clip": rawpy.HighlightMode.Clip,
    "blend": rawpy.HighlightMode.Blend,
    **{f"reconstruct {n}": rawpy.HighlightMode.Reconstruct(n) for n in (3, 5, 7, 9)},
}


@dataclass(frozen=True)
class Case:
    """One frame: its file, its truth, float32 (H, W, 3), and which pixels lost one or two channels, or all."""

    path: Path
    truth: np.ndarray
    some: np.ndarray
    all: np.ndarray


def case(name: str, folder: Path) -> Case:
    """Shoot a scene's frame."""
    scene = scene_named(name)
    iso = scene.exposures[(len(scene.exposures) - 1) // 2].iso
    shot = shoot(name, folder, _SIZE, bracket=Bracket.chosen(scene, 1, 0.0, iso, shift=_SHIFT[name]))
    truth = read_exr(shot.truth).rgb
    # Back to the camera's colours as they were recorded: what lies above saturation is lost.
    merged = merge_frames(shot.frames)
    capture = merged.report["capture"]
    to_camera = np.array(capture["to_camera"], np.float32).reshape(3, 3)
    sensor = Sensor()
    recorded = (truth @ to_camera.T) * neutral_of(sensor, scene.as_shot).astype(np.float32)
    lost = (recorded > 1.0).sum(-1)
    return Case(shot.frames[0], truth, (lost > 0) & (lost < 3), lost == 3)


def decoded(path: Path, mode, truth: np.ndarray, sure: np.ndarray) -> np.ndarray:
    """The decoder's picture in Rec. 2020, scaled to the truth where nothing is lost."""
    with rawpy.imread(str(path)) as raw:
        rgb = raw.postprocess(
            output_color=rawpy.ColorSpace.Rec2020,
            gamma=(1, 1),
            no_auto_bright=True,
            use_camera_wb=True,
            output_bps=16,
            highlight_mode=mode,
            user_flip=0,
        ).astype(np.float32)
    return rgb * np.float32(np.median(luminance(truth)[sure]) / np.median(luminance(rgb)[sure]))


def errors(picture: np.ndarray, truth: np.ndarray, where: np.ndarray) -> tuple[float, float]:
    """Root of the mean square of stops of luminance, and the mean CIEDE2000."""
    if where.sum() < 50:
        return float("nan"), float("nan")
    one, other = picture[where], truth[where]
    stops = np.log2(np.maximum(luminance(one), 1e-4) / np.maximum(luminance(other), 1e-4))
    scale = _SHOWN / np.maximum(luminance(other), _SHOWN)[:, None]
    labs = [xyz_to_lab(np.maximum(v * scale, 0) @ REC2020_TO_XYZ.T) for v in (one, other)]
    return float(np.sqrt((stops**2).mean())), float(delta_e2000(*labs).mean())


def bench() -> list[Table]:
    """A table for one or two channels lost, and one for all."""
    columns = ("rms stops", "ΔE", "decoder's best stops", "its ΔE", "best ΔE", "share %")
    tables = [Table(f"Clipped light, {what} lost", columns) for what in ("one or two channels", "all channels")]
    for name in SCENES:
        with tempfile.TemporaryDirectory() as folder:
            shot = case(name, Path(folder))
            ours = merge_frames([shot.path]).rgb
            sure = ~shot.some & ~shot.all & (luminance(shot.truth) > 0.05)
            theirs = [decoded(shot.path, mode, shot.truth, sure) for mode in _MODES.values()]
            for table, where in zip(tables, (shot.some, shot.all)):
                found = [errors(picture, shot.truth, where) for picture in theirs]
                stops, colour = min(found)
                table.add(
                    name, *errors(ours, shot.truth, where), stops, colour, min(f[1] for f in found), 100 * where.mean()
                )
    return tables
