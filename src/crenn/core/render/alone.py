"""One frame of a scene by itself, or what its camera made of it, lying as the scene does: to be compared with it."""

from pathlib import Path

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import lightness, luminance
from crenn.core.errors import CrennError
from crenn.core.frames.embedded import embedded_picture
from crenn.core.light.ends import EndsParameters
from crenn.core.pipeline.scene import Capture
from crenn.core.radiance import RadianceMap
from crenn.core.render.source import Source, reduced_to
from crenn.core.report.camera_picture import quarters_to_held
from crenn.core.treatment import Treatment

#: Longer side on which a camera's picture is laid over the scene, in pixels, and how far its corners may go by that,
#: in shares of it: cameras cut some pixels off their borders.
_SIDE, _NEAR = 1200, 0.03
_STEPS = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-5)


def frame_alone(scene: Source, key: str) -> RadianceMap:
    """What one frame saw of a scene, in the scene's light: the same treatment shows both as bright.

    Parameters
    ----------
    scene : Source
    key : str
        Of one of its frames, as of `crenn.core.mend.other_frame.OtherFrames`.

    Returns
    -------
    RadianceMap
        Of the scene's size, with the scene's report, so that automatic values are the scene's. Where the frame saw
        nothing it is black.

    Raises
    ------
    CrennError
        If the scene has no such frame, or its file is missing or cannot be read.
    """
    part = scene.others.part(key, (0, 0, *scene.size), with_noise=False)
    clipped = np.where(part.known, 0, 7).astype(np.uint8)
    return RadianceMap(part.light, part.sigma, clipped=clipped, report=scene.report)


def camera_alone(scene: Source, key: str, path: Path) -> tuple[RadianceMap, Treatment]:
    """The picture that the camera itself made of a frame, and the treatment that shows it as it is.

    Parameters
    ----------
    scene : Source
    key : str
        Of the frame, as of `crenn.core.mend.other_frame.OtherFrames`.
    path : Path
        Its file.

    Returns
    -------
    RadianceMap
        Of the scene's size; white of the picture is 1. Where there is none of it, it is black.
    Treatment
        With nothing in it but the display.

    Raises
    ------
    CrennError
        If the scene has no such frame, or its file carries no picture that shows the scene.
    """
    matrix = scene.others.to_frame(key)
    part = Capture.from_report(scene.report).part
    small = embedded_picture(path)
    seen = reduced_to(scene, _SIDE)
    quarters = None if small is None else quarters_to_held(seen, small, part)
    full = None if quarters is None else embedded_picture(path, None)
    if full is None or quarters is None:
        raise CrennError(
            "carries no picture of this scene that its camera made.", path, "Compare with the frame itself."
        )
    picture = np.ascontiguousarray(np.rot90(full, quarters))
    height, width = scene.size
    held = width / part[2], height / part[3]
    matrix = np.diag([picture.shape[1] / held[0], picture.shape[0] / held[1], 1.0]) @ matrix
    matrix = _nearer(seen, picture, matrix, scene.size)
    light = _laid(picture, matrix, (width, height))
    capture = scene.report["capture"] | {"finished": True, "developed": True}
    report = {name: value for name, value in scene.report.items() if name != "camera"}
    shown = Treatment.neutral().with_sections(ends=EndsParameters())
    return RadianceMap(light, report=report | {"capture": capture}), shown


def _laid(picture: np.ndarray, matrix: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """A picture over (W, H) pixels, by a map from their continuous places to its own."""
    half = np.array([[1.0, 0.0, 0.5], [0.0, 1.0, 0.5], [0.0, 0.0, 1.0]])
    centred = np.linalg.inv(half) @ matrix @ half
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpPerspective(picture, centred, size, flags=flags, borderValue=(0, 0, 0)))


def _nearer(seen: np.ndarray, picture: np.ndarray, matrix: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """A map by which a picture lies more closely over what a scene shows: cameras cut off borders.

    By the enhanced correlation coefficient (Evangelidis and Psarakis 2008) of edges of tones.
    """
    height, width = seen.shape[:2]
    scale = np.diag([size[1] / width, size[0] / height, 1.0])
    over = _laid(picture, matrix @ scale, (width, height))
    one, other = _edges(seen), _edges(over)
    try:
        _, moved = cv2.findTransformECC(one, other, np.eye(2, 3, dtype=np.float32), cv2.MOTION_AFFINE, _STEPS, None, 5)
    except cv2.error:
        # Nothing in it to lay it by.
        return matrix
    step = np.vstack([moved, [0, 0, 1]]).astype(np.float64)
    half = np.array([[1.0, 0.0, 0.5], [0.0, 1.0, 0.5], [0.0, 0.0, 1.0]])
    step = half @ step @ np.linalg.inv(half)
    corners = np.array([[0, 0, 1], [width, 0, 1], [0, height, 1], [width, height, 1]], np.float64)
    if np.abs((corners @ step.T - corners)[:, :2]).max() > _NEAR * max(width, height):
        return matrix
    return np.asarray(matrix @ scale @ step @ np.linalg.inv(scale))


def _edges(light: np.ndarray) -> np.ndarray:
    """How strong edges are, whatever the tones: float32 (h, w), 0 to 1."""
    y = np.maximum(luminance(light), 0)
    positive = y[y > 0]
    bright = float(np.quantile(positive, 0.98)) if positive.size else 1.0
    tones = cv2.GaussianBlur(lightness(np.clip(y / max(bright, 1e-9), 0, 1)).astype(np.float32), (0, 0), 1.5)
    edges = np.hypot(cv2.Sobel(tones, cv2.CV_32F, 1, 0), cv2.Sobel(tones, cv2.CV_32F, 0, 1))
    top = float(np.quantile(edges, 0.99))
    return np.clip(edges / max(top, 1e-6), 0, 1).astype(np.float32)
