"""A made-up night sky of point stars that turns about a pole, and satellites that cross it."""

from dataclasses import dataclass
from functools import cached_property

import numba as nb
import numpy as np

from crenn.camera.optics import Pose
from crenn.core.geometry.lens import Lens

#: The sky turns once in a sidereal day, in radians per second.
TURN = 2 * np.pi / 86164.0


@dataclass(frozen=True)
class Satellite:
    """A satellite crossing during one frame: from one place to another, in shares of width and height."""

    frame: int
    start: tuple[float, float]
    end: tuple[float, float]
    radiance: float


@dataclass(frozen=True)
class StarField:
    """Stars of a made-up sky.

    Parameters
    ----------
    pole : tuple of float
        Azimuth and height of the pole, in radians from the middle of the view and from the horizon.
    count : int
        Stars on the whole sphere.
    faintest : float
        Light of the faintest star: radiance times square radians.
    satellites : tuple of Satellite
    seed : int
    """

    pole: tuple[float, float]
    count: int
    faintest: float
    satellites: tuple[Satellite, ...] = ()
    seed: int = 5

    @cached_property
    def catalogue(self) -> tuple[np.ndarray, np.ndarray]:
        """Directions (N, 3), right, up, forward, and light (N, 3) in Rec. 2020."""
        rng = np.random.default_rng(self.seed)
        v = rng.standard_normal((self.count, 3))
        v /= np.linalg.norm(v, axis=1, keepdims=True)
        # Numbers grow four times per magnitude and a half: light follows a power law.
        light = self.faintest * (1 - rng.random(self.count)) ** (-1 / 1.25)
        light = np.minimum(light, self.faintest * 3000)
        warm = rng.normal(0.0, 0.35, self.count)
        colour = np.stack([np.exp(0.9 * warm), np.ones(self.count), np.exp(-0.9 * warm)], -1)
        return v, light[:, None] * colour

    def draw(
        self,
        image: np.ndarray,
        open_sky: np.ndarray,
        lens: Lens,
        camera: tuple,
        pose: Pose,
        frame: int,
        start: float,
        seconds: float,
    ) -> None:
        """Add the stars of one exposure to an image, in place.

        Parameters
        ----------
        image : ndarray, float32 (H, W, 3)
        open_sky : ndarray, float32 (H, W)
            Share of each pixel that shows the sky.
        lens : Lens
        camera : tuple
            As of a `Scene`: yaw and pitch at 3 and 4.
        pose : Pose
        frame : int
        start, seconds : float
            Of the exposure, in seconds.
        """
        v, light = self.catalogue
        azimuth, height = self.pole
        axis = np.array([np.sin(azimuth) * np.cos(height), np.sin(height), np.cos(azimuth) * np.cos(height)])
        yaw, pitch = camera[3], camera[4]
        cy, sy, cp, sp = np.cos(yaw), np.sin(yaw), np.cos(pitch), np.sin(pitch)
        # World (right, up, forward) to the camera's right, down, forward.
        to_camera = np.array([[cy, 0, -sy], [sp * sy, -cp, sp * cy], [cp * sy, sp, cp * cy]])
        steps = max(int(np.ceil(seconds * TURN * lens.focal * 2)), 1)
        sigma = max(0.75 * np.sqrt(lens.size[0] / 3000), 0.65)
        for step in range(steps):
            angle = TURN * (start + seconds * (step + 0.5) / steps)
            cross = np.cross(axis, v)
            turned = v * np.cos(angle) + cross * np.sin(angle) + axis * (v @ axis)[:, None] * (1 - np.cos(angle))
            seen = (turned @ to_camera.T) @ pose.rotation()
            xy = lens.pixels(seen)
            inside = (
                (seen[:, 2] > 0.05)
                & (turned[:, 1] > 0)
                & (np.abs(xy - np.array(lens.size) / 2) < np.array(lens.size) / 2 + 8).all(1)
            )
            # Light per pixel: a pixel is 1 / focal² square radians.
            _splat(image, open_sky, xy[inside], light[inside] * lens.focal**2 / steps, sigma)
        for satellite in self.satellites:
            if satellite.frame == frame:
                size = np.array(lens.size)
                way = np.linspace(satellite.start, satellite.end, int(lens.size[0] * 1.5)) * size
                pitch = float(np.hypot(*(way[1] - way[0])))
                track = np.full((len(way), 3), satellite.radiance * pitch * sigma * 2.5)
                _splat(image, open_sky, way, track, sigma)


@nb.njit(cache=True, error_model="numpy")
def _splat(image, open_sky, xy, light, sigma):
    """Add points of light as Gaussians."""
    height, width = image.shape[:2]
    reach = int(4 * sigma) + 1
    for n in range(xy.shape[0]):
        x0, y0 = int(np.floor(xy[n, 0] + 0.5)), int(np.floor(xy[n, 1] + 0.5))
        for y in range(max(y0 - reach, 0), min(y0 + reach + 1, height)):
            for x in range(max(x0 - reach, 0), min(x0 + reach + 1, width)):
                d2 = (x - xy[n, 0]) ** 2 + (y - xy[n, 1]) ** 2
                k = np.exp(-d2 / (2 * sigma * sigma)) / (2 * np.pi * sigma * sigma) * open_sky[y, x]
                for c in range(3):
                    image[y, x, c] += light[n, c] * k
