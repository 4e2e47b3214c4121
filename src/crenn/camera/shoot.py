"""Takes the frames of a scene: real DNG files, and the true radiance beside them."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

import numpy as np
import OpenEXR

from crenn.camera.dng import FrameDescription, write_dng
from crenn.camera.scenes import SCENES
from crenn.camera.scenes.scene import Scene, Stage
from crenn.camera.sensor import Exposure, Sensor
from crenn.core.errors import CrennError
from crenn.core.files import replacing
from crenn.core.light.white_balance import white_xy
from crenn.core.progress import Progress
from crenn.core.radiance import write_exr
from crenn.core.spaces import REC2020_CHROMATICITIES, XYZ_TO_REC2020, xy_to_xyz

#: Size at which the light of the scenes ships ready made, (width, height).
SHIPPED_SIZE = (3000, 2000)
DEFAULT_SIZE = (6000, 4000)
_SHIPPED = Path(__file__).parent / "light"
_SMALLEST, _LARGEST = 64, 16000


@dataclass(frozen=True)
class Shot:
    """The files of one shoot."""

    frames: tuple[Path, ...]
    truth: Path
    reference: int


def scene_named(name: str) -> Scene:
    """Build a scene.

    Raises
    ------
    CrennError
        If there is no scene of that name.
    """
    if name not in SCENES:
        raise CrennError(f"There is no scene “{name}”.", remedy="Known are: " + ", ".join(sorted(SCENES)) + ".")
    return SCENES[name]()


def neutral_of(sensor: Sensor, as_shot: tuple[float, float]) -> np.ndarray:
    """Camera's answer to the white that the camera was set to, green 1, float64 (3,)."""
    answer = sensor.camera_matrix() @ XYZ_TO_REC2020 @ xy_to_xyz(*white_xy(*as_shot))
    return answer / answer[1]


def truth_matrix(sensor: Sensor, as_shot: tuple[float, float]) -> np.ndarray:
    """From scene light to the radiance map a perfect merge would give, float64 (3, 3).

    White balance acts in camera colours, as in the merge: the neutral becomes white, green keeps its level.
    """
    camera = sensor.camera_matrix()
    daylight = camera.sum(axis=1)
    # Rows of the camera matrix over the answer to D65 sum to 1; so do those of its inverse.
    return np.linalg.inv(camera / daylight[:, None]) @ np.diag(1.0 / neutral_of(sensor, as_shot)) @ camera


def _light(scene: Scene, size: tuple[int, int]) -> Iterator[np.ndarray]:
    """Radiance for each exposure of a scene, float32 (H, W, 3)."""
    shipped = [_SHIPPED / f"{scene.name}-{i}.exr" for i in range(len(scene.exposures))]
    if size == SHIPPED_SIZE and all(p.exists() for p in shipped):
        for path in shipped:
            with OpenEXR.File(str(path)) as file:
                yield np.maximum(file.channels()["RGB"].pixels.astype(np.float32), 0.0)
        return
    stage = Stage(scene, *size)
    for exposure, start in zip(scene.exposures, scene.starts):
        yield stage.radiance(start, exposure.seconds)


def ship(name: str) -> None:
    """Make the light that ships with the application, at `SHIPPED_SIZE`."""
    scene = scene_named(name)
    _SHIPPED.mkdir(exist_ok=True)
    stage = Stage(scene, *SHIPPED_SIZE)
    for index, (exposure, start) in enumerate(zip(scene.exposures, scene.starts)):
        rgb = stage.radiance(start, exposure.seconds).astype(np.float16)
        header = {"compression": OpenEXR.DWAB_COMPRESSION, "dwaCompressionLevel": 60.0,
                  "type": OpenEXR.scanlineimage, "chromaticities": REC2020_CHROMATICITIES}
        with OpenEXR.File(header, {"RGB": rgb}) as file:
            file.write(str(_SHIPPED / f"{name}-{index}.exr"))


def shoot(name: str, folder: Path, size: tuple[int, int] = DEFAULT_SIZE, seed: int = 1,
          sensor: Sensor | None = None, noise_profile: bool = True, progress: Progress | None = None,
          truth: bool = True) -> Shot:
    """Shoot a scene.

    Parameters
    ----------
    name : str
        See `crenn.camera.scenes.SCENES`.
    folder : Path
        Made if missing; frames are named after the scene, darkest first, beside ``truth.exr``.
    size : tuple of int
        (width, height), even, at least 64.
    seed : int
        Of the noise.
    sensor : Sensor, optional
    noise_profile : bool
        Whether the files tell their noise.
    progress : Progress, optional
    truth : bool
        Whether to write ``truth.exr``: the noiseless radiance map at the moment of the reference frame.

    Raises
    ------
    CrennError
        If the scene is unknown, the size unusable or the folder not writable.
    """
    width, height = size
    if width % 2 or height % 2 or not (_SMALLEST <= min(size) and max(size) <= _LARGEST):
        raise CrennError(f"A size of {width}×{height} cannot be shot;",
                         remedy=f"use even numbers from {_SMALLEST} to {_LARGEST}.")
    scene, sensor, progress = scene_named(name), sensor or Sensor(), progress or Progress()
    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as fault:
        raise CrennError(f"cannot be made: {fault.strerror}.", folder) from fault
    reference = (len(scene.exposures) - 1) // 2
    neutral = neutral_of(sensor, scene.as_shot)
    frames = []
    progress.at(0.0, f"Setting up {scene.title}")
    for index, radiance in enumerate(_light(scene, size)):
        exposure: Exposure = scene.exposures[index]
        mosaic = sensor.expose(radiance, exposure, seed * 100 + index)
        profile = sensor.noise_profile(exposure.iso) * 3 if noise_profile else None
        about = FrameDescription(
            seconds=exposure.seconds, aperture=exposure.aperture, iso=exposure.iso,
            taken=scene.taken + timedelta(seconds=scene.starts[index]), black=sensor.black, white=sensor.white,
            xyz_to_camera=np.array(sensor.xyz_to_camera), neutral=neutral, pattern=sensor.pattern,
            noise_profile=profile)
        path = folder / f"{name}-{index + 1}.dng"
        with replacing(path) as temporary:
            write_dng(temporary, mosaic, about)
        frames.append(path)
        if truth and index == reference:
            gain = exposure.relative * exposure.shutter_error
            write_exr(folder / "truth.exr", radiance @ (gain * truth_matrix(sensor, scene.as_shot)).T.astype(np.float32))
        progress.at((index + 1) / len(scene.exposures), f"Shot {path.name}")
    return Shot(tuple(frames), folder / "truth.exr", reference)
