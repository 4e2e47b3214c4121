"""Takes the frames of a scene: real DNG files, and the true radiance beside them."""

import json
from dataclasses import dataclass, replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR

from crenn.camera.flaws import Flaws
from crenn.camera.glass import Glass
from crenn.camera.infrared import recorded, through_filter
from crenn.camera.optics import Pose, between, view_of_light
from crenn.camera.record import record
from crenn.camera.scenes import SCENES
from crenn.camera.scenes.scene import Scene, Stage, where_it_drifts
from crenn.camera.sensor import Exposure, Sensor
from crenn.core.colorimetry.spaces import REC2020_CHROMATICITIES, XYZ_TO_REC2020, xy_to_xyz
from crenn.core.colorimetry.white import white_xy
from crenn.core.errors import CrennError
from crenn.core.files import replacing
from crenn.core.geometry.lens import Lens
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.resample import resample
from crenn.core.progress import Progress
from crenn.core.radiance import write_exr

#: Size at which the light of the scenes ships ready made, (width, height).
SHIPPED_SIZE = (3000, 2000)
DEFAULT_SIZE = (6000, 4000)
_SHIPPED = Path(__file__).parent / "light"
_SMALLEST, _LARGEST = 64, 16000
#: By how much longer the lens is where light is needed from beyond the picture.
_ZOOM = 1.06
#: mm.
_SENSOR_WIDTH = 36.0


@dataclass(frozen=True)
class Shot:
    """The files of one shoot.

    ``maps`` are homographies (3, 3) from the reference frame's pixels to those of each frame; None if the lens
    distorts.
    """

    frames: tuple[Path, ...]
    darks: tuple[Path, ...]
    truth: Path
    reference: int
    maps: tuple[np.ndarray, ...] | None


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


def _read_light(name: str, index: int) -> tuple[np.ndarray, np.ndarray | None]:
    """Shipped light: radiance, and the share of open sky if the scene has stars."""
    with OpenEXR.File(str(_SHIPPED / f"{name}-{index}.exr"), separate_channels=True) as file:
        channels = {n: c.pixels.astype(np.float32) for n, c in file.channels().items()}
    rgb = np.maximum(np.stack([channels[c] for c in "RGB"], -1), 0.0)
    return rgb, np.clip(channels["sky"], 0, 1) if "sky" in channels else None


def shipped_light(name: str) -> np.ndarray:
    """The light of a scene as it ships, in the scene's unit, float32 (H, W, 3)."""
    return _read_light(name, 0)[0]


def zoomed(scene: Scene, shaken: bool, faulty: bool = False) -> bool:
    """Whether a slightly longer lens is taken: where light is needed that the picture has no margin for."""
    return faulty or (shaken and not scene.margin)


def lenses(scene: Scene, size: tuple[int, int], shaken: bool, faulty: bool = False) -> tuple[Lens, Lens]:
    """The lens of a scene's frames of size (width, height), and the perfect one that its light is rendered through.

    Parameters
    ----------
    scene : Scene
    size : tuple of int
    shaken : bool
        Whether the camera is turned between frames.
    faulty : bool
        Whether the lens has faults of its own, drawn by `crenn.camera.glass`.
    """
    tangent = scene.camera[5] / (_ZOOM if zoomed(scene, shaken, faulty) else 1.0)
    lens = Lens(tangent, size, 0.0 if faulty else scene.distortion)
    wide = (round(size[0] * (1 + scene.margin) / 2) * 2, round(size[1] * (1 + scene.margin) / 2) * 2)
    return lens, Lens(scene.camera[5] * wide[0] / size[0], wide)


def glass_of(lens: Lens) -> Glass:
    """The wide zoom, with its faults, in the place of a lens."""
    return Glass(_SENSOR_WIDTH / 2 / lens.tangent, lens.size)


class _Light:
    """Radiance of a scene at a size, for one frame after the other; shipped ready made for `SHIPPED_SIZE`."""

    def __init__(
        self,
        scene: Scene,
        size: tuple[int, int],
        shaken: bool = False,
        faulty: bool = False,
        infrared: bool = False,
    ):
        self.scene, self.size, self.infrared = scene, size, infrared
        # A lens with faults draws in what lies beyond the picture.
        self.lens, self.wide = lenses(scene, size, shaken, faulty)
        self.zoomed = zoomed(scene, shaken, faulty)
        self.glass = glass_of(self.lens) if faulty else None
        self.shipped = not infrared and size == SHIPPED_SIZE and (_SHIPPED / f"{scene.name}-0.exr").exists()
        self.stage: Stage | None = None
        self._shared: np.ndarray | None = None
        self._kept: tuple[int, np.ndarray, np.ndarray | None] | None = None

    def traced(self, start: float, duration: float) -> tuple[np.ndarray, np.ndarray | None]:
        """Light of the whole field, and the share of open sky where the scene has stars."""
        if self.stage is None:
            camera = (*self.scene.camera[:5], self.wide.tangent, 0.0)
            self.stage = Stage(replace(self.scene, camera=camera), *self.wide.size)
        light = self.stage.radiance(start, duration)
        sky = self.stage.open_sky if self.scene.stars else None
        return recorded(light) if self.infrared else light, sky

    def _field(self, start: float, duration: float) -> tuple[np.ndarray, np.ndarray | None]:
        # What only turns is lit the same in every frame; what moves has light for each of its own exposures.
        index = (
            0 if self.scene.still else int(np.argmin([abs(np.log(e.seconds / duration)) for e in self.scene.exposures]))
        )
        if self._kept is not None and self._kept[0] == index and (self.shipped or self.scene.still):
            return self._kept[1:]
        if self.shipped:
            rgb, sky = _read_light(self.scene.name, index)
            if not self.scene.still:
                # Compression differs a little from file to file: what stands still shares the files' median.
                if self._shared is None:
                    count = len(self.scene.exposures)
                    self._shared = np.median(
                        [_read_light(self.scene.name, i)[0].astype(np.float16) for i in range(count)], 0
                    ).astype(np.float32)
                # Its errors are a share of what is brightest around.
                around = cv2.dilate(self._shared, np.ones((9, 9), np.uint8))
                alike = (np.abs(rgb - self._shared) < 0.12 * around + 1e-3).all(-1)
                # A lamp that drifts is far brighter than such errors; its dark neighbours are not alike for that.
                camera = (*self.scene.camera[:5], self.wide.tangent, 0.0)
                alike &= ~where_it_drifts(self.scene, camera, rgb.shape[1], rgb.shape[0])
                rgb[alike] = self._shared[alike]
            field = rgb, sky
        else:
            field = self.traced(start, duration)
        self._kept = (index, *field)
        return field

    def through_glass(
        self, index: int, start: float, exposure: Exposure, pose: Pose, to_camera: np.ndarray
    ) -> tuple[np.ndarray, np.ndarray]:
        """What a lens with faults throws on the sensor, and what one without would have, float32 (H, W, 3) each.

        ``to_camera``, float64 (3, 3), maps light to the sensor's colours, which the lens draws apart.
        """
        assert self.glass is not None
        scene, glass = self.scene, self.glass
        field, sky = self._field(start, exposure.seconds)
        field = field * np.float32(scene.unit)
        if scene.stars is not None and sky is not None:
            scene.stars.draw(field, sky, self.wide, scene.camera, Pose(), index, start, exposure.seconds)
        turn = pose.rotation()

        def seen(light: np.ndarray, channel: int | None) -> np.ndarray:
            def of(pixels: np.ndarray) -> np.ndarray:
                ideal = pixels if channel is None else glass.ideal(pixels, channel)
                return self.wide.pixels(self.lens.directions(ideal) @ turn.T)

            return np.nan_to_num(np.maximum(resample(light, Mesh.of(of, self.size[::-1])), 0.0))

        matrix = to_camera.astype(np.float32)
        colours = field @ matrix.T
        drawn = np.concatenate([seen(np.ascontiguousarray(colours[..., c : c + 1]), c) for c in range(3)], -1)
        drawn *= glass.transmission(exposure.aperture)[..., None]
        return drawn @ np.linalg.inv(matrix).T, seen(field, None)

    def frame(self, index: int, start: float, duration: float, pose: Pose) -> np.ndarray:
        """What the lens throws on the sensor during an exposure, float32 (H, W, 3)."""
        scene = self.scene
        rgb, sky = self._field(start, duration)
        if not pose.still or scene.margin or scene.distortion or self.zoomed:
            mesh = view_of_light(self.lens, pose, self.wide)
            rgb = np.nan_to_num(np.maximum(resample(rgb, mesh), 0.0))
            sky = np.nan_to_num(np.clip(resample(sky[..., None], mesh)[..., 0], 0, 1)) if sky is not None else None
        rgb = rgb * np.float32(scene.unit)
        if scene.stars is not None and sky is not None:
            scene.stars.draw(rgb, sky, self.lens, scene.camera, pose, index, start, duration)
        return rgb


def ship(name: str) -> None:
    """Make the light that ships with the application, at `SHIPPED_SIZE`."""
    scene = scene_named(name)
    _SHIPPED.mkdir(exist_ok=True)
    light = _Light(scene, SHIPPED_SIZE)
    for index, (exposure, start) in enumerate(zip(scene.exposures, scene.starts)):
        rgb, sky = light.traced(start, exposure.seconds)
        channels = {"RGB": rgb.astype(np.float16)} | ({"sky": sky.astype(np.float16)} if sky is not None else {})
        header = {
            "compression": OpenEXR.DWAB_COMPRESSION,
            "dwaCompressionLevel": 60.0,
            "type": OpenEXR.scanlineimage,
            "chromaticities": REC2020_CHROMATICITIES,
        }
        with OpenEXR.File(header, channels) as file:
            file.write(str(_SHIPPED / f"{name}-{index}.exr"))
        if scene.still:
            break


@dataclass(frozen=True)
class Bracket:
    """How a scene is shot: exposures with the moments they start at and the poses of the camera."""

    exposures: tuple[Exposure, ...]
    starts: tuple[float, ...]
    poses: tuple[Pose, ...]
    darks: int = 0

    @classmethod
    def usual(cls, scene: Scene) -> "Bracket":
        """The way the scene ships."""
        return cls(scene.exposures, scene.starts, scene.poses or (Pose(),) * len(scene.exposures), scene.darks)

    @classmethod
    def chosen(
        cls, scene: Scene, count: int, step: float, iso: float, shake: float = 0.0, shift: float = 0.0, seed: int = 1
    ) -> "Bracket":
        """A bracket of the user's choice round the scene's middle exposure.

        Parameters
        ----------
        scene : Scene
        count : int
            Frames, 1 to 60; with a step of 0 they are all equal.
        step : float
            EV between frames.
        iso : float
        shake : float
            Deviation of the camera's direction and roll, in degrees.
        shift : float
            EV by which all frames are exposed more.
        seed : int

        Raises
        ------
        CrennError
            If a value cannot be shot.
        """
        if not (1 <= count <= 60 and 0 <= step <= 4 and 50 <= iso <= 25600 and 0 <= shake <= 1.5 and abs(shift) <= 6):
            raise CrennError(
                "This bracket cannot be shot:",
                remedy="take 1 to 60 frames, steps of 0 to 4 EV, ISO 50 to "
                "25600, a shift of at most 6 EV and a shake of at most 1.5 degrees.",
            )
        middle = scene.exposures[(len(scene.exposures) - 1) // 2]
        rng = np.random.default_rng([seed, 29])
        exposures, starts, poses, clock = [], [], [], 0.0
        for i in range(count):
            seconds = middle.seconds * middle.iso / iso * 2.0 ** (shift + step * (i - (count - 1) // 2))
            if not 1 / 16000 <= seconds <= 600:
                raise CrennError(
                    f"An exposure of {seconds:.3g} s is out of the camera's range:",
                    remedy="choose fewer frames, a smaller step or another ISO.",
                )
            exposures.append(Exposure(seconds, middle.aperture, iso, 1.0 + 0.015 * float(rng.standard_normal())))
            starts.append(clock)
            clock += seconds + 0.5
            # Margins of the light hold a turn of at most one degree.
            turn = np.clip(rng.standard_normal(3) * shake, -0.9, 0.9) * np.pi / 180
            poses.append(Pose(*turn) if shake else Pose())
        return cls(tuple(exposures), tuple(starts), tuple(poses), scene.darks if scene.darks else 0)


def shoot(
    name: str,
    folder: Path,
    size: tuple[int, int] = DEFAULT_SIZE,
    seed: int = 1,
    sensor: Sensor | None = None,
    noise_profile: bool = True,
    progress: Progress | None = None,
    truth: bool = True,
    bracket: Bracket | None = None,
    faulty: bool = False,
    infrared: bool = False,
) -> Shot:
    """Shoot a scene.

    Parameters
    ----------
    name : str
        See `crenn.camera.scenes.SCENES`.
    folder : Path
        Made if missing; frames are named after the scene, in the order they were taken, beside ``truth.exr``.
    size : tuple of int
        (width, height), even, at least 64.
    seed : int
        Of the noise.
    sensor : Sensor, optional
    noise_profile : bool
        Whether the files tell their noise.
    progress : Progress, optional
    truth : bool
        Whether to write ``truth.exr``: the noiseless radiance map at the moment of the reference frame; and
        ``truth.json``: the homographies from its pixels to those of each frame; and, of a sensor with flaws,
        ``flaws.exr``: what its frames share of them.
    bracket : Bracket, optional
        The scene's usual one by default.
    faulty : bool
        Whether to take the wide zoom, with the faults of a real lens (see `crenn.camera.glass`), instead of one
        without; the truth is still what one without would have drawn.
    infrared : bool
        Whether a filter that passes infrared alone is before the lens (see `crenn.camera.infrared`).

    Raises
    ------
    CrennError
        If the scene is unknown, the size unusable or the folder not writable.
    """
    width, height = size
    if width % 2 or height % 2 or not (min(size) >= _SMALLEST and max(size) <= _LARGEST):
        raise CrennError(
            f"A size of {width}×{height} cannot be shot;", remedy=f"use even numbers from {_SMALLEST} to {_LARGEST}."
        )
    scene, sensor, progress = scene_named(name), sensor or Sensor(), progress or Progress()
    if infrared:
        scene = through_filter(scene)
    bracket = bracket or Bracket.usual(scene)
    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as fault:
        raise CrennError(f"cannot be made: {fault.strerror}.", folder) from fault
    count = len(bracket.exposures)
    reference = (count - 1) // 2
    light = _Light(scene, size, not all(p.still for p in bracket.poses), faulty, infrared)
    of_lens: dict[str, Any] = {"lens": Glass.name, "focal_length": light.glass.focal_length} if light.glass else {}
    frames: list[Path] = []
    progress.at(0.0, f"Setting up {scene.title}")

    def write(index: int, radiance: np.ndarray, exposure: Exposure, start: float, path: Path) -> Path:
        about = {"neutral": neutral_of(sensor, scene.as_shot)} | of_lens
        if not noise_profile:
            about["noise_profile"] = None
        with replacing(path) as temporary:
            taken = scene.taken + timedelta(seconds=start)
            record(temporary, radiance, exposure, sensor, seed * 100 + index, taken, **about)
        progress.at((index + 1) / (count + bracket.darks), f"Shot {path.name}")
        return path

    digits = len(str(count))
    for index, (exposure, start, pose) in enumerate(zip(bracket.exposures, bracket.starts, bracket.poses)):
        if faulty:
            radiance, ideal = light.through_glass(index, start, exposure, pose, sensor.camera_matrix())
        else:
            radiance = ideal = light.frame(index, start, exposure.seconds, pose)
        frames.append(write(index, radiance, exposure, start, folder / f"{name}-{index + 1:0{digits}d}.dng"))
        if truth and index == reference:
            gain = exposure.relative * exposure.shutter_error
            write_exr(folder / "truth.exr", ideal @ (gain * truth_matrix(sensor, scene.as_shot)).T.astype(np.float32))
    if truth and sensor.flaws != Flaws():
        planes = sensor.flaws.truth((height, width), bracket.exposures[reference].aperture, sensor.serial)
        with OpenEXR.File({"type": OpenEXR.scanlineimage}, planes) as file:
            file.write(str(folder / "flaws.exr"))
    nothing = np.zeros((height, width, 3), np.float32)
    darks = [
        write(
            count + i,
            nothing,
            bracket.exposures[-1],
            bracket.starts[-1] + (i + 1) * (bracket.exposures[-1].seconds + 1),
            folder / f"{name}-dark-{i + 1}.dng",
        )
        for i in range(bracket.darks)
    ]
    maps = None
    if not scene.distortion and not faulty:
        maps = tuple(between(light.lens, bracket.poses[reference], pose) for pose in bracket.poses)
        if truth:
            (folder / "truth.json").write_text(json.dumps({"reference": reference, "maps": [m.tolist() for m in maps]}))
    return Shot(tuple(frames), tuple(darks), folder / "truth.exr", reference, maps)
