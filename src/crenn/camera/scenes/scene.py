"""A scene of Tarrowick: its solids and lights, and how a camera sees it at a moment."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

import cv2
import numba as nb
import numpy as np

from crenn.camera.optics import Pose
from crenn.camera.raytrace import gather_grid, hashed, interleaved, trace
from crenn.camera.sensor import Exposure
from crenn.camera.solids import Solids
from crenn.camera.stars import StarField

#: Side of a cell of gathered light, as a share of the picture's width.
_CELLS = 300
#: Reflections looked up per pixel of water.
_RIPPLES = 64
#: Up to so many pixels each has all its rays; finer pictures have as many in all.
_ENOUGH = 6_000_000


@dataclass(frozen=True)
class Scene:
    """A scene and the way it is usually shot.

    ``camera`` is (x, y, z, yaw, pitch, tangent of half the horizontal view, 0); lamps are rows of position,
    intensity and clearance; ``sun`` is a direction and an irradiance. ``moving`` builds the solids that drift, for a
    shift in metres; ``drift`` is their speed in m/s. ``clear_of_water`` is (left, right, far end) of the basin.
    Light is built in units of ``unit``, with ``margin`` of the picture's size more on all sides together, for a camera
    that shakes: ``poses`` tell how far it is turned at each exposure. ``distortion`` is the lens's (see
    `crenn.camera.optics.Lens`). ``stars`` turn above the scene; ``darks`` dark frames are taken after it.
    """

    name: str
    title: str
    solids: Solids
    lamps: np.ndarray
    camera: tuple
    sky: int
    lamp_reach: float
    sun: np.ndarray
    exposures: tuple[Exposure, ...]
    starts: tuple[float, ...]
    taken: datetime
    rays: int
    bounces: int
    as_shot: tuple[float, float]
    moving: Callable[[float], Solids] | None = None
    drift: float = 0.0
    water: bool = False
    clear_of_water: tuple[float, float, float] = (0.0, 0.0, 0.0)
    unit: float = 1.0
    margin: float = 0.0
    poses: tuple[Pose, ...] = ()
    distortion: float = 0.0
    stars: StarField | None = None
    darks: int = 0

    @property
    def still(self) -> bool:
        """Whether nothing but the camera moves, so that one rendering of light serves all frames."""
        return self.moving is None and not self.water


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _sine(x):
    """Sine to about 0.001, by a parabola corrected once: waves need no more."""
    t = x * 0.15915494 - np.floor(x * 0.15915494 + 0.5)
    p = 8.0 * t - 16.0 * t * abs(t)
    return 0.775 * p + 0.225 * p * abs(p)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _ripple(image, mirror, camera, left, right, far, start, duration, samples):
    """Replace water by what its moving surface reflects. Slopes are a sum of travelling waves."""
    height, width = image.shape[:2]
    high, wide = mirror.shape[:2]
    cp, sp, cy, sn = np.cos(camera[4]), np.sin(camera[4]), np.cos(camera[3]), np.sin(camera[3])
    # Direction, wave number and angular speed of nine waves from 0.2 m to 7 m long (deep water: Airy 1845).
    angle = 0.9 + 2.1 * np.sin(np.arange(9) * 2.4)
    number = 6.2831853 / (0.22 * 1.55 ** np.arange(9))
    kx, kz, speed = np.cos(angle), np.sin(angle), np.sqrt(9.81 * number)
    for row in nb.prange(height):
        y = interleaved(row, height)
        for x in range(width):
            r, g, b, weight = 0.0, 0.0, 0.0, 0
            for i in range(samples):
                px = x + (0.5 + i * 0.7548776662 + hashed(x, y, 1)) % 1.0
                py = y + (0.5 + i * 0.5698402910 + hashed(x, y, 2)) % 1.0
                sx = (2.0 * px / width - 1.0) * camera[5]
                sy = (1.0 - 2.0 * py / height) * camera[5] * height / width
                y1, z1 = sy * cp + sp, cp - sy * sp
                dx, dz, dy = sx * cy + z1 * sn, z1 * cy - sx * sn, y1
                if dy > -1e-4:
                    break
                t = -camera[1] / dy
                wx, wz = camera[0] + dx * t, camera[2] + dz * t
                if wx < left or wx > right or wz > far:
                    continue
                n = 1.0 / np.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx * n, dy * n, dz * n
                time = start + duration * ((i + hashed(x, y, 3)) / samples)
                ax, az = 0.0, 0.0
                swell = 0.31 * wx + 0.23 * wz
                for k in range(9):
                    phase = number[k] * (kx[k] * wx + kz[k] * wz) - speed[k] * time + k * 1.7
                    slope = 0.0085 * _sine(phase + 1.5 * _sine(swell + k))
                    ax += slope * kx[k]
                    az += slope * kz[k]
                # Reflect at the tilted surface and see where the mirrored camera looks.
                dot = dy - ax * dx - az * dz
                rx, ry, rz = dx + 2 * dot * ax, dy - 2 * dot, dz + 2 * dot * az
                ry = max(ry, 0.004)
                fresnel = 0.02 + 0.98 * (1 - min(abs(dot), 1.0)) ** 5
                zf, xf = rz * cy + rx * sn, rx * cy - rz * sn
                # The mirrored camera has the opposite pitch.
                yf, zf = ry * cp + zf * sp, zf * cp - ry * sp
                zf = max(zf, 1e-3)
                mx = (xf / zf / camera[5] + 1.0) * 0.5 * wide - 0.5
                my = (1.0 - yf / zf / camera[5] * width / height) * 0.5 * high - 0.5
                mx, my = min(max(mx, 0.0), wide - 1.001), min(max(my, 0.0), high - 1.001)
                i0, j0 = int(my), int(mx)
                fy, fx = my - i0, mx - j0
                w00, w01, w10, w11 = (1 - fy) * (1 - fx), (1 - fy) * fx, fy * (1 - fx), fy * fx
                r += (
                    fresnel
                    * (
                        mirror[i0, j0, 0] * w00
                        + mirror[i0, j0 + 1, 0] * w01
                        + mirror[i0 + 1, j0, 0] * w10
                        + mirror[i0 + 1, j0 + 1, 0] * w11
                    )
                    + (1 - fresnel) * 0.0035
                )
                g += (
                    fresnel
                    * (
                        mirror[i0, j0, 1] * w00
                        + mirror[i0, j0 + 1, 1] * w01
                        + mirror[i0 + 1, j0, 1] * w10
                        + mirror[i0 + 1, j0 + 1, 1] * w11
                    )
                    + (1 - fresnel) * 0.0060
                )
                b += (
                    fresnel
                    * (
                        mirror[i0, j0, 2] * w00
                        + mirror[i0, j0 + 1, 2] * w01
                        + mirror[i0 + 1, j0, 2] * w10
                        + mirror[i0 + 1, j0 + 1, 2] * w11
                    )
                    + (1 - fresnel) * 0.0075
                )
                weight += 1
            if weight > 0:
                k = weight / samples
                image[y, x, 0] = image[y, x, 0] * (1 - k) + k * r / weight
                image[y, x, 1] = image[y, x, 1] * (1 - k) + k * g / weight
                image[y, x, 2] = image[y, x, 2] * (1 - k) + k * b / weight


def _rays(count: int, width: int, height: int) -> int:
    """Rays of a pixel, of which there are ``count`` up to `_ENOUGH` pixels: smaller ones need fewer to be as even."""
    return max(round(count * min(_ENOUGH / (width * height), 1.0)), min(count, 2))


class _View:
    """A scene from one camera at one size; what stands still is traced once."""

    def __init__(self, scene: Scene, camera, width: int, height: int, samples: int):
        self.scene, self.camera, self.width, self.height = scene, np.array(camera), width, height
        self.cell = max(width // _CELLS, 2)
        arrays = scene.solids.arrays()
        gathered = gather_grid(
            self.camera,
            width,
            height,
            self.cell,
            *arrays,
            scene.lamps,
            scene.lamp_reach,
            scene.sun,
            scene.sky,
            scene.rays,
            scene.bounces,
        )
        self.gathered = (_smooth_along_surfaces(*gathered), *gathered[1:])
        self.still, self.solid = self.trace(arrays, 1, np.ones((height, width), bool))
        stops = np.log2(np.maximum(self.still.max(-1), 1e-4))
        spread = cv2.dilate(stops, np.ones((3, 3))) - cv2.erode(stops, np.ones((3, 3)))
        self.trace(arrays, _rays(samples, width, height), spread > 0.35, self.still)

    def trace(self, arrays, samples: int, mask: np.ndarray, image: np.ndarray | None = None):
        """Trace the pixels of ``mask``: (image, whether a solid is seen)."""
        scene = self.scene
        if image is None:
            image = np.zeros((self.height, self.width, 3), np.float32)
        solid = np.full((self.height, self.width), -1, np.int32)
        trace(
            self.camera,
            self.width,
            self.height,
            *arrays,
            scene.lamps,
            scene.lamp_reach,
            scene.sun,
            scene.sky,
            *self.gathered,
            self.cell,
            samples,
            mask,
            image,
            solid,
        )
        return image, solid >= 0

    def _shifts(self, start: float, duration: float) -> list[float]:
        """Places of what drifts during an exposure, in metres, close enough together to blur."""
        metres_per_pixel = 2 * self.camera[5] * 22.0 / self.width
        steps = int(np.clip(round(self.scene.drift * duration / metres_per_pixel / 4), 1, 6))
        return [self.scene.drift * (start + duration * (i + 0.5) / steps) for i in range(steps)]

    def at(self, start: float, duration: float) -> np.ndarray:
        """The image with what drifts drawn into it, blurred by its way during the exposure."""
        image = self.still.copy()
        if self.scene.moving is None:
            return image
        moved = [self.scene.moving(shift) for shift in self._shifts(start, duration)]
        mask = box_of(self.camera, self.width, self.height, [m.arrays() for m in moved])
        total = np.zeros_like(image)
        for solids in moved:
            rays = _rays(4, self.width, self.height)
            total += self.trace(self.scene.solids.joined(solids).arrays(), rays, mask)[0]
        image[mask] = total[mask] / len(moved)
        return image

    def covered(self, start: float, duration: float) -> np.ndarray:
        """Share of each pixel that a drifting solid covers, float32 (H, W)."""
        shown = np.zeros((self.height, self.width), np.float32)
        shifts = self._shifts(start, duration)
        for shift in shifts:
            assert self.scene.moving is not None
            arrays = self.scene.moving(shift).arrays()
            shown += self.trace(arrays, 1, box_of(self.camera, self.width, self.height, [arrays]))[1] / len(shifts)
        return cv2.GaussianBlur(shown.astype(np.float32), (3, 3), 0.5)


def box_of(camera, width: int, height: int, moved: list[tuple]) -> np.ndarray:
    """Mask of the rectangle of a picture that holds solids, given as arrays, in all their places, bool (H, W)."""
    cy, sn, cp, sp = np.cos(camera[3]), np.sin(camera[3]), np.cos(camera[4]), np.sin(camera[4])
    looks = np.concatenate([arrays[3] for arrays in moved])
    corners = np.concatenate([looks[:, [9 + 3 * i, 10 + 3 * j, 11 + 3 * k]] for i, j, k in np.ndindex(2, 2, 2)])
    p = corners - camera[:3]
    x, z = p[:, 0] * cy - p[:, 2] * sn, p[:, 0] * sn + p[:, 2] * cy
    y, z = p[:, 1] * cp - z * sp, np.maximum(z * cp + p[:, 1] * sp, 0.1)
    columns = (x / z / camera[5] + 1) / 2 * width
    rows = (1 - y / z / camera[5] * width / height) / 2 * height
    mask = np.zeros((height, width), bool)
    mask[
        max(int(rows.min()) - 3, 0) : max(int(rows.max()) + 4, 0),
        max(int(columns.min()) - 3, 0) : max(int(columns.max()) + 4, 0),
    ] = True
    return mask


def where_it_drifts(scene: Scene, camera, width: int, height: int) -> np.ndarray:
    """Mask of the rectangle within which something drifts while the scene's frames are taken, bool (H, W)."""
    if scene.moving is None:
        return np.zeros((height, width), bool)
    moments = [t for e, start in zip(scene.exposures, scene.starts) for t in (start, start + e.seconds)]
    solids = [scene.moving(scene.drift * moment).arrays() for moment in moments]
    return box_of(np.array(camera), width, height, solids)


class Stage:
    """A scene set up at one size, ready to be photographed.

    Parameters
    ----------
    scene : Scene
    width, height : int
        Pixels.

    Attributes
    ----------
    open_sky : ndarray, float32 (H, W)
        Share of each pixel that shows the sky.
    """

    def __init__(self, scene: Scene, width: int, height: int):
        self.scene = scene
        self._direct = _View(scene, scene.camera, width, height, 6)
        self.open_sky = cv2.GaussianBlur((~self._direct.solid).astype(np.float32), (0, 0), 0.65)
        self._mirrored = None
        if scene.water:
            # Ripples blur what is mirrored: half the size is enough.
            x, y, z, yaw, pitch, view, _ = scene.camera
            self._mirrored = _View(scene, (x, -y, z, yaw, -pitch, view, 0.0), width // 2, height // 2, 3)

    def radiance(self, start: float, duration: float) -> np.ndarray:
        """What the lens throws on the sensor during an exposure.

        Parameters
        ----------
        start, duration : float
            Seconds since the first frame.

        Returns
        -------
        ndarray, float32 (H, W, 3)
            Scene-linear Rec. 2020.
        """
        image = self._direct.at(start, duration)
        if self._mirrored is not None:
            water = image.copy()
            _ripple(
                water,
                self._mirrored.at(start, duration),
                self._direct.camera,
                *self.scene.clear_of_water,
                start,
                max(duration, 0.02),
                _rays(_RIPPLES, *water.shape[1::-1]),
            )
            if self.scene.moving is not None:
                shown = self._direct.covered(start, duration)[..., None]
                water = water * (1 - shown) + image * shown
            image = water
        return _through_lens(image)


def _smooth_along_surfaces(light, normals, depth) -> np.ndarray:
    """Even out the grain of gathered light among neighbours on the same surface."""
    out, weight = light.copy(), np.ones(depth.shape, np.float32)
    for dy in range(-2, 3):
        for dx in range(-2, 3):
            if dy == dx == 0:
                continue
            move = (dy, dx)
            other, other_normals = np.roll(light, move, (0, 1)), np.roll(normals, move, (0, 1))
            other_depth = np.roll(depth, move, (0, 1))
            same = np.clip((other_normals * normals).sum(-1), 0, 1) ** 16
            near = np.exp(-(((other_depth - depth) / (0.06 * np.maximum(depth, 1e-3))) ** 2))
            w = same * near * np.exp(-(dy * dy + dx * dx) / 4.0)
            out += other * w[..., None]
            weight += w
    return out / weight[..., None]


def _through_lens(image: np.ndarray) -> np.ndarray:
    """Softness of a good lens and a trace of its glare."""
    soft = cv2.GaussianBlur(image, (0, 0), 0.65)
    small = cv2.resize(image, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    glare = 0.6 * cv2.GaussianBlur(small, (0, 0), image.shape[1] / 1600) + 0.4 * cv2.GaussianBlur(
        small, (0, 0), image.shape[1] / 260
    )
    glare = cv2.resize(glare, (image.shape[1], image.shape[0]), interpolation=cv2.INTER_LINEAR)
    return (soft * 0.985 + glare * 0.015).astype(np.float32)
