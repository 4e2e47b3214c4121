"""The simulated camera left to itself while it dawns: a bracket every so many seconds, as interval timers have it."""

from datetime import timedelta
from pathlib import Path

import cv2
import numpy as np

from crenn.camera.record import record
from crenn.camera.scenes.scene import Scene
from crenn.camera.sensor import Exposure, Sensor
from crenn.camera.shoot import Bracket, neutral_of, scene_named, shipped_light
from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import CrennError
from crenn.core.files import replacing
from crenn.core.progress import Progress

#: Size of the frames, (width, height): there are many.
SERIES_SIZE = (1500, 1000)
#: Up to how bright a part of a scene is lit by the sky: a quantile of its luminance.
_BY_SKY = 0.85
#: Colour of the light that comes, before the sun is up and then.
_BLUE, _WARM = np.array([0.8, 0.95, 1.3], np.float32), np.array([1.25, 1.0, 0.75], np.float32)
#: EV by which the light is off before the camera's meter sets it anew.
_METER = 1.0
_LONGEST = 400


def dawning(light: np.ndarray, ev: float, share: float) -> np.ndarray:
    """A scene's light, float32 (H, W, 3), once the light of the sky on it has become brighter by EV; lamps stay.

    ``share`` is how far the dawn is, 0 to 1. What is brighter than most of the scene is lit by lamps: the sky's part of
    its light is taken for no more than theirs, so that nothing becomes darker than what was darker before.
    """
    y = np.maximum(luminance(light), 1e-9)
    most = float(np.quantile(y, _BY_SKY))
    of_sky = light * (np.minimum(y, most) / y)[..., None]
    colour = _BLUE * (1 - share) + _WARM * share
    colour = 1 + (colour / float(luminance(colour)) - 1) * np.sin(np.pi * share)
    return np.asarray(np.maximum(light + of_sky * (np.exp2(np.float32(ev)) * colour.astype(np.float32) - 1), 0))


def metered(scene: Scene, bracket: Bracket, ev: float) -> list[Exposure]:
    """The bracket's exposures once the meter has followed light that is brighter by EV, in whole steps."""
    steps = np.trunc(ev / _METER) * _METER
    return [
        Exposure(max(e.seconds * 2.0**-steps, 1 / 16000), e.aperture, e.iso, e.shutter_error) for e in bracket.exposures
    ]


def check_dawn(bracket: Bracket, times: int, interval: float, rise: float, flicker: float = 0.0) -> None:
    """Make sure that a series can be shot; a `CrennError` if not. See `shoot_dawn`."""
    lasts = bracket.starts[-1] + bracket.exposures[-1].seconds
    if not (2 <= times <= _LONGEST and abs(rise) <= 8 and 0 <= flicker <= 1 and interval > 0):
        raise CrennError(
            "This series cannot be shot:",
            remedy=f"take 2 to {_LONGEST} brackets, and light that changes by 8 EV at most.",
        )
    if lasts >= interval:
        raise CrennError(
            f"A bracket that lasts {lasts:.0f} s does not fit in between;", remedy="take shorter ones, or more seconds."
        )


def shoot_dawn(
    name: str,
    folder: Path,
    times: int,
    interval: float = 30.0,
    rise: float = 4.0,
    flicker: float = 0.05,
    size: tuple[int, int] = SERIES_SIZE,
    bracket: Bracket | None = None,
    seed: int = 1,
    sensor: Sensor | None = None,
    progress: Progress | None = None,
) -> list[Path]:
    """Shoot a scene again and again while it gets lighter.

    Parameters
    ----------
    name : str
        See `crenn.camera.scenes.SCENES`.
    folder : Path
        Made if missing.
    times : int
        Brackets, 2 to 400.
    interval : float
        Seconds from one to the next.
    rise : float
        EV by which it gets lighter, or darker, in all.
    flicker : float
        Deviation of a bracket's light in EV: the aperture does not close alike each time.
    size : tuple of int
        (width, height), even.
    bracket : Bracket, optional
        The scene's usual one by default; it has to fit in between two.
    seed : int
    sensor : Sensor, optional
    progress : Progress, optional

    Raises
    ------
    CrennError
        If the scene is unknown, or this series cannot be shot.
    """
    scene, sensor, progress = scene_named(name), sensor or Sensor(), progress or Progress()
    bracket = bracket or Bracket.usual(scene)
    check_dawn(bracket, times, interval, rise, flicker)
    folder.mkdir(parents=True, exist_ok=True)
    light = cv2.resize(shipped_light(name), size, interpolation=cv2.INTER_AREA) * np.float32(scene.unit)
    rng = np.random.default_rng([seed, 41])
    paths = []
    for time in range(times):
        share = time / (times - 1)
        ev = rise * share * share * (3 - 2 * share)
        radiance = dawning(light, ev, share if rise > 0 else 1 - share)
        off = float(np.exp2(rng.normal(0, flicker)))
        start = time * interval
        for index, exposure in enumerate(metered(scene, bracket, ev)):
            path = folder / f"{name}-{time * len(bracket.exposures) + index + 1:05d}.dng"
            taken = scene.taken + timedelta(seconds=start)
            start += exposure.seconds + 0.5
            about = {"neutral": neutral_of(sensor, scene.as_shot)}
            with replacing(path) as temporary:
                number = (seed * 10_000 + time) * 100 + index
                record(temporary, radiance * np.float32(off), exposure, sensor, number, taken, **about)
            paths.append(path)
        progress.at((time + 1) / times, f"Shot bracket {time + 1} of {times}")
    return paths
