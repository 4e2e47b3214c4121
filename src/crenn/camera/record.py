"""One frame of the simulated camera: radiance in, a DNG file out."""

from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from crenn.camera.development import develop
from crenn.camera.dng import FrameDescription, write_dng
from crenn.camera.sensor import Exposure, Sensor


def record(
    path: Path, radiance: np.ndarray, exposure: Exposure, sensor: Sensor, seed: int, taken: datetime, **changes: Any
) -> Path:
    """Expose a sensor and write what it recorded.

    Parameters
    ----------
    path : Path
    radiance : ndarray, float32 (H, W, 3)
        Scene-linear Rec. 2020.
    exposure : Exposure
    sensor : Sensor
    seed : int
        Of the frame's noise.
    taken : datetime
    changes
        Of what the file says of itself, by the names of `FrameDescription`; without these it is told to be neutral in
        daylight (D65) and of the noise that the sensor has, and carries the camera's own picture.
    """
    about: dict[str, Any] = {
        "seconds": exposure.seconds,
        "aperture": exposure.aperture,
        "iso": exposure.iso,
        "taken": taken,
        "black": sensor.black,
        "white": sensor.white,
        "xyz_to_camera": np.array(sensor.xyz_to_camera),
        "neutral": sensor.camera_matrix().sum(axis=1),
        "pattern": sensor.pattern,
        "noise_profile": sensor.noise_profile(exposure.iso) * 3,
        "picture": develop(radiance, exposure.relative),
    }
    write_dng(path, sensor.expose(radiance, exposure, seed), FrameDescription(**about | changes))
    return path
