"""What a pixel of a scene truly shows: the sky, or something in front of it."""

import numba as nb
import numpy as np

from crenn.camera.optics import view_of_light
from crenn.camera.raytrace import hit, interleaved, ray
from crenn.camera.shoot import Bracket, glass_of, lenses, scene_named
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.resample import resample

#: Rays per pixel.
_SAMPLES = 8


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _open(camera, planes, ranges, nodes, samples, out):
    height, width = out.shape
    for row in nb.prange(height):
        y = interleaved(row, height)
        normal = np.empty(3)
        for x in range(width):
            free = 0
            for i in range(samples):
                # R2 sequence (Roberts 2018): even cover of the pixel.
                ax, ay = (0.5 + i * 0.7548776662) % 1.0, (0.5 + i * 0.5698402910) % 1.0
                dx, dy, dz = ray(camera, x + ax, y + ay, width, height)
                s, _ = hit(camera[0], camera[1], camera[2], dx, dy, dz, planes, ranges, nodes, 1e9, normal)
                if s < 0 and dy > 0:
                    free += 1
            out[y, x] = np.float32(free / samples)


def open_sky(name: str, size: tuple[int, int], faulty: bool = False) -> np.ndarray:
    """Share of each pixel that shows the sky in a scene's reference frame, as it is usually shot.

    Parameters
    ----------
    name : str
        See `crenn.camera.scenes.SCENES`.
    size : tuple of int
        (width, height).
    faulty : bool
        Whether the lens has faults; see `crenn.camera.shoot.shoot`. Green tells where it draws what.

    Returns
    -------
    ndarray, float32 (H, W)
    """
    scene = scene_named(name)
    bracket = Bracket.usual(scene)
    reference = (len(bracket.exposures) - 1) // 2
    lens, wide = lenses(scene, size, not all(p.still for p in bracket.poses), faulty)
    solids = scene.solids
    if scene.moving is not None:
        solids = solids.joined(scene.moving(scene.drift * bracket.starts[reference]))
    out = np.empty(wide.size[::-1], np.float32)
    camera = np.array((*scene.camera[:5], wide.tangent, 0.0))
    planes, ranges, nodes, _ = solids.arrays()
    _open(camera, planes, ranges, nodes, _SAMPLES, out)
    mesh = view_of_light(lens, bracket.poses[reference], wide)
    if faulty:
        glass = glass_of(lens)
        mesh = Mesh.of(lambda p: wide.pixels(lens.directions(glass.ideal(p, 1))), size[::-1])
    return np.nan_to_num(np.clip(resample(out[..., None], mesh)[..., 0], 0, 1))
