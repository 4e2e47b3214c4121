"""Places between frames: what a scene shows of its reference frame, and where that lies in the others."""

from collections.abc import Sequence

import cv2
import numpy as np

from crenn.core.basis import Basis
from crenn.core.frames.light import LightFrame
from crenn.core.geometry.mapping import STEP, Mesh
from crenn.core.geometry.orientation import lies_across
from crenn.core.merge.instructions import Instructions


def to_held(shape: tuple[int, int], flip: int) -> np.ndarray:
    """From pixels of a sensor of a shape (H, W) to those of the picture as it was held, float64 (3, 3)."""
    height, width = shape
    turns = {
        3: [[-1, 0, width], [0, -1, height], [0, 0, 1]],
        5: [[0, 1, 0], [-1, 0, width], [0, 0, 1]],
        6: [[0, -1, height], [1, 0, 0], [0, 0, 1]],
    }
    return np.array(turns.get(flip, np.eye(3)), np.float64)


def homography_of(mesh: Mesh | None, shape: tuple[int, int], flip: int) -> np.ndarray:
    """The homography nearest to a mesh, float64 (3, 3), between continuous pixels of pictures as they were held."""
    if mesh is None:
        return np.eye(3)
    rows, columns = mesh.nodes.shape[:2]
    y, x = np.mgrid[:rows, :columns].astype(np.float64) * STEP
    few = np.s_[:: max(rows // 24, 1), :: max(columns // 24, 1)]
    before = np.stack([x[few].ravel(), y[few].ravel()], -1) + 0.5
    found, _ = cv2.findHomography(before, mesh.nodes[few].reshape(-1, 2) + 0.5, 0)
    held = to_held(shape, flip)
    matrix = held @ np.asarray(found, np.float64) @ np.linalg.inv(held)
    return matrix / matrix[2, 2]


def maps_between(
    lights: Sequence[LightFrame], keys: Sequence[str], shape: tuple[int, int], first: LightFrame, ground: bool
) -> dict[str, list[float]]:
    """By frame, the homography from the reference frame's pixels to its own, row by row.

    Parameters
    ----------
    lights : sequence of LightFrame
        Those that took part.
    keys : sequence of str
        What tells frames apart, by their index.
    shape : tuple of int
        (H, W) of the sensor.
    first : LightFrame
        The reference frame.
    ground : bool
        Whether a ground was kept where it is while the stars were followed: what documents hold on to stays with it.
    """
    return {
        keys[f.index]: homography_of(None if ground else f.mesh, shape, first.raw.flip).ravel().tolist()
        for f in lights
        if f is not first
    }


def basis_of(first: LightFrame, keys: Sequence[str], size: tuple[int, int], part: tuple[float, ...]) -> Basis:
    """What a scene of size (H, W) shows of its reference frame: ``part`` in shares of it, as it was held."""
    height, width = size
    x, y, w, h = part
    return Basis(frame=keys[first.index], size=[width, height], offset=[round(x * width / w), round(y * height / h)])


def on_reference(
    instructions: Instructions, lights: Sequence[LightFrame], first: LightFrame, keys: Sequence[str]
) -> Instructions:
    """Instructions whose strokes and choices are shares of the whole reference frame as it was held.

    Parameters
    ----------
    instructions : Instructions
    lights : sequence of LightFrame
        With the meshes that have been found by now.
    first : LightFrame
        The reference frame.
    keys : sequence of str
        What tells frames apart, by their index.

    Frames must have their mosaics still.
    """
    basis = instructions.basis
    if basis is None or not (instructions.strokes or instructions.choices):
        return instructions
    sensor = first.mosaic.shape
    height, width = sensor[::-1] if lies_across(first.raw.flip) else sensor
    frame = next((f for f in lights if keys[f.index] == basis.frame), first)
    mesh = None if frame is first else frame.mesh
    back = np.linalg.inv(homography_of(mesh, sensor, first.raw.flip))
    to_pixels = np.array([[basis.size[0], 0, basis.offset[0]], [0, basis.size[1], basis.offset[1]], [0, 0, 1.0]])
    return instructions.placed(np.diag([1 / width, 1 / height, 1.0]) @ back @ to_pixels, basis.size[0] / width)
