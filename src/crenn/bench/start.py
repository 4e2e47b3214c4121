"""What scenes are first shown as: of kinds that the demo world lacks, its own, and frames of one's own."""

import os
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.charts import shipped
from crenn.bench.kinds import KINDS
from crenn.bench.table import Table
from crenn.camera.scenes import SCENES
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, srgb_encode, srgb_to_lab
from crenn.core.frames.embedded import embedded_picture
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.starts.starts import start_values, starts_of
from crenn.core.treatment import Treatment

#: Raw files in this folder are compared with the pictures that they carry.
_OWN = "CRENN_OWN_FRAMES"
_SIDE = 1200
_COLUMNS = ("cd/m²", "exposure", "mean L*", "median L*", "C*/L*", "white %", "black %", "local ×")


def shown(scene: PreparedScene, start: str = "as-it-was") -> np.ndarray:
    """The picture of a scene by a starting point, 8-bit codes."""
    return Renderer(scene).picture(Treatment().started(start_values(scene.light, start)), Window.whole(scene.size))[0]


def scene_of(rgb: np.ndarray, **capture: float) -> PreparedScene:
    """Light of a frame, with the noise of the simulated camera's sensor, as a scene."""
    noise = np.sqrt(np.maximum(rgb, 0) / 12000 + 2.5e-8).astype(np.float32)
    noisy = rgb + noise * np.random.default_rng(1).standard_normal(rgb.shape).astype(np.float32)
    return PreparedScene.from_radiance(RadianceMap(noisy, noise, report={"capture": capture}))


def _figures(codes: np.ndarray) -> tuple[float, float, float, float, float]:
    lab = srgb_to_lab(codes / 255.0)
    l_star, chroma = lab[..., 0], np.hypot(lab[..., 1], lab[..., 2])
    return (
        float(l_star.mean()),
        float(np.median(l_star)),
        float(chroma.mean() / max(float(l_star.mean()), 1e-6)),
        float(100 * (codes.min(-1) >= 254).mean()),
        float(100 * (codes.max(-1) <= 1).mean()),
    )


def _row(table: Table, name: str, scene: PreparedScene) -> None:
    values = start_values(scene.light, "as-it-was")
    figures = _figures(shown(scene))
    table.add(name, scene.light.luminance, values["exposure.ev"], *figures, values["placement.local"])


def kinds() -> Table:
    table = Table("Starts: other kinds of scenes, as they were", _COLUMNS)
    for name, (make, seconds, aperture, iso, taken) in KINDS.items():
        told = {"seconds": seconds, "aperture": aperture, "iso": iso}
        _row(table, name, scene_of(make(), **told))
        if taken:
            _row(table, f"{name}, told", scene_of(make(), **told, filter_stops=taken))
    return table


def demo_world() -> Table:
    table = Table("Starts: the demo world, as it was", _COLUMNS)
    for name in SCENES:
        frames = SCENES[name]().exposures
        middle = frames[(len(frames) - 1) // 2]
        capture = {"seconds": middle.seconds, "aperture": middle.aperture, "iso": middle.iso}
        _row(table, name, scene_of(shipped(name, 0, _SIDE), **capture))
    return table


def own_frames(folder: Path) -> Table:
    """Lone raw frames beside the pictures that their camera put into them."""
    table = Table(
        "Starts: frames of one's own, over the camera's picture", ("L*, as it was", "C*/L*", "L*, as shown", "C*/L*")
    )
    for path in sorted(p for p in folder.iterdir() if p.is_file()):
        camera = embedded_picture(path)
        if camera is None:
            continue
        codes = srgb_encode(camera @ REC2020_TO_SRGB.T) * 255
        scene = PreparedScene.from_radiance(merge_frames([path]))
        scene.split_noise()
        theirs, ratios = _figures(codes), []
        for start in ("as-it-was", "as-the-camera-showed-it"):
            if start in starts_of(scene.light):
                ours = _figures(cv2.resize(shown(scene, start), camera.shape[1::-1], interpolation=cv2.INTER_AREA))
                ratios += [ours[0] / theirs[0], ours[2] / theirs[2]]
        table.add(path.suffix.lstrip(".").lower(), *ratios, *[None] * (4 - len(ratios)))
    return table


def bench() -> list[Table]:
    tables = [kinds(), demo_world()]
    own = os.environ.get(_OWN)
    if own and Path(own).is_dir():
        tables.append(own_frames(Path(own)))
    return tables
