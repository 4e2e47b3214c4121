"""Lays the frames of a bracket over their reference frame."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np

from crenn.core.align.proxy import SEEN, SHARP, Level, levels_of, pyramid, relative_sharpness, seen
from crenn.core.align.register import WORTH, Registration, is_still, refined, register, shifts_of
from crenn.core.frames.light import LightFrame, sensitivities
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.resample import resample
from crenn.core.progress import Progress

#: Less agreement of structure than this means another view.
_AGREE = 0.55
#: A frame with less of the others' coarse gradients is fogged.
_CLEAR = 0.7
#: Structure that reaches over less of the picture than this is one thing, not a view.
_EXTENT = 0.35
#: Pictures wider than this many pixels are large.
_LARGE = 3200
#: Stops by which the exposure of dark and bright parts may differ.
_HAZE = 0.45


@dataclass(frozen=True)
class Alignment:
    """How one frame lies against the reference frame.

    Attributes
    ----------
    mesh : Mesh or None
        From the reference frame's pixels to this frame's; None if the frame lies right as it is.
    shift, turn : float
        Of the picture's middle, in pixels, and of the picture, in degrees.
    error : float
        Predicted deviation, in pixels; 0 for a frame that lies right.
    fault : str or None
        Why the frame cannot be used.
    """

    mesh: Mesh | None = None
    shift: float = 0.0
    turn: float = 0.0
    error: float = 0.0
    fault: str | None = None


def fits_as_it_lies(a: Level, b: Level) -> bool | None:
    """Whether two small pictures agree in light without being moved; None if they share too little to tell."""
    both = a.valid & b.valid & (a.light > 12 * np.sqrt(a.variance)) & (b.light > 12 * np.sqrt(b.variance))
    if both.sum() < 30:
        return None
    x, y = a.light[both], b.light[both]
    ratio = np.log2(y / x)
    allowed = 0.1 + 4 * np.sqrt(a.variance[both] / x**2 + b.variance[both] / y**2)
    return float((np.abs(ratio - np.median(ratio)) < allowed).mean()) > 0.85


def _hazy(a: Level, b: Level, matrix: np.ndarray) -> bool:
    """Whether the darker parts of two small pictures differ in exposure from the brighter ones, as by veiling light."""
    scale = np.diag([1 / a.factor, 1 / a.factor, 1.0])
    small = scale @ matrix @ np.linalg.inv(scale)
    x, y = (
        a.light,
        cv2.warpPerspective(b.light, small, a.light.shape[::-1], flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP),
    )
    known = cv2.warpPerspective(
        b.valid.astype(np.uint8), small, a.light.shape[::-1], flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
    )
    both = a.valid & (known > 0) & (x > 12 * np.sqrt(a.variance)) & (y > 12 * np.sqrt(b.variance))
    if both.sum() < 200:
        return False
    x, ratio = x[both], np.log2(y[both] / x[both])
    low, high = np.quantile(x, (0.25, 0.75))
    if high < 3 * low:
        return False
    return abs(float(np.median(ratio[x <= low]) - np.median(ratio[x >= high]))) > _HAZE


def _moved(levels: list[Level], matrix: np.ndarray) -> Level:
    """The finest level of a frame, moved onto the reference frame's grid."""
    finest = levels[0]
    stack = np.stack([finest.light, finest.variance, np.where(finest.valid, 0.0, 1.0)], -1).astype(np.float32)
    moved = resample(stack, Mesh.from_homography(matrix, finest.light.shape))
    known = np.isfinite(moved[..., 0]) & (np.abs(moved[..., 2]) < 0.02)
    moved = np.nan_to_num(moved)
    return Level(moved[..., 0], np.maximum(moved[..., 1], 1e-20), known, finest.factor)


def _blended(a: Level, b: Level) -> Level:
    """Mean of two levels on one grid, weighted by their noise."""
    out = Level(a.light.copy(), a.variance.copy(), a.valid | b.valid, a.factor)
    _weigh(out.light, out.variance, a.valid, b.light, b.variance, b.valid)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _weigh(light, variance, valid, light_b, variance_b, valid_b):
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            if not valid_b[y, x]:
                continue
            if not valid[y, x]:
                light[y, x], variance[y, x] = light_b[y, x], variance_b[y, x]
                continue
            wa, wb = np.float32(1) / variance[y, x], np.float32(1) / variance_b[y, x]
            light[y, x] = (wa * light[y, x] + wb * light_b[y, x]) / (wa + wb)
            variance[y, x] = np.float32(1) / (wa + wb)


def _half_size(matrix: np.ndarray) -> np.ndarray:
    """A homography between full-size pictures as one between those of half the size."""
    down = np.array([[0.5, 0, -0.25], [0, 0.5, -0.25], [0, 0, 1.0]])
    return down @ matrix @ np.linalg.inv(down)


def _inverted(found: Registration) -> Registration:
    """The registration seen from the other frame."""
    inverse = np.linalg.inv(found.matrix)
    return Registration(
        inverse / inverse[2, 2],
        found.agreement,
        1 / max(found.contrast, 1e-3),
        found.error,
        found.places,
        found.extent,
        found.improvement,
    )


def align(frames: Sequence[LightFrame], reference: int, progress: Progress | None = None) -> list[Alignment]:
    """Find how each frame of a bracket lies against the reference frame.

    Frames are taken in the order of their exposures, from the reference frame outwards, each against the mean of all
    laid down before it, so that the darkest and the brightest need not share any light.

    Parameters
    ----------
    frames : sequence of LightFrame
        Of one size and camera.
    reference : int
        Place of the reference frame.
    progress : Progress, optional

    Returns
    -------
    list of Alignment
    """
    progress = progress or Progress()
    size = frames[0].mosaic.shape
    out: list[Alignment] = [Alignment()] * len(frames)
    gains = sensitivities(list(frames)) / frames[reference].sensitivity

    def levels(k: int) -> list[Level]:
        f = frames[k]
        return levels_of(f.mosaic, f.pattern, f.levels, f.noise, float(gains[k]))

    laid = levels(reference)
    ev = np.log2(np.asarray(gains, np.float64))
    order = sorted((k for k in range(len(frames)) if k != reference), key=lambda k: (abs(ev[k] - ev[reference]), k))
    known: dict[int, np.ndarray] = {reference: np.eye(3)}
    for count, k in enumerate(order):
        within = progress.part(count / len(order), (count + 1) / len(order))
        text = f"Aligning {frames[k].name}"
        within.at(0.0, text)
        own = levels(k)
        within.at(0.15, text)
        if seen(own[-1]) < SEEN:
            out[k] = Alignment(fault="shows nothing but noise, as with the lens cap on.")
            continue
        nearest = min(known, key=lambda i: abs(ev[i] - ev[k]))
        guesses = [known[nearest]]
        # The cleaner picture tells where to look: gradients of noise would pull the result towards no shift.
        brighter = ev[k] > max(ev[i] for i in known)
        # Large pictures are first compared at a quarter of their size: most sets are from a tripod.
        finest = 1 if size[1] > _LARGE else 0
        found = (
            register(own, laid, [np.linalg.inv(g) for g in guesses], finest)
            if brighter
            else register(laid, own, guesses, finest)
        )
        if found is not None and brighter:
            found = _inverted(found)
        # One thing in an even picture may have moved by itself: that is no shake.
        narrow = found is not None and found.extent < _EXTENT
        steady = all(np.array_equal(m, np.eye(3)) for m in known.values())
        if found is None or found.agreement < _AGREE or (narrow and steady and fits_as_it_lies(laid[-1], own[-1])):
            fits = fits_as_it_lies(laid[-1], own[-1])
            if steady and fits is not False:
                # No detail to go by, but nothing against it either.
                known[k] = np.eye(3)
                laid = pyramid(_blended(laid[0], own[0]))
            elif fits is not False:
                out[k] = Alignment(fault="shares too little detail with the other frames to be aligned.")
            elif found is not None and found.contrast < _CLEAR and found.agreement > _AGREE / 2:
                out[k] = Alignment(fault="is fogged or lit otherwise than the other frames.")
            else:
                out[k] = Alignment(fault="does not fit the other frames: it shows another view, or moved too far.")
            continue
        if found.contrast < _CLEAR or _hazy(laid[-1], own[-1], found.matrix):
            out[k] = Alignment(fault="is fogged or lit otherwise than the other frames.")
            continue
        within.at(0.6, text)
        if not is_still(found, size):
            found = _inverted(refined(own, laid, _inverted(found))) if brighter else refined(laid, own, found)
        within.at(0.75, text)
        # A frame of a set held by hand is laid right by its detail; one on a tripod need not show any.
        sharpness = relative_sharpness(laid[0], own[0], surely=steady)
        if sharpness < SHARP:
            out[k] = Alignment(fault=f"is blurred: it keeps {sharpness:.0%} of the fine detail of the others.")
            continue
        still = is_still(found, size) or found.improvement < WORTH
        matrix = np.eye(3) if still else found.matrix
        known[k] = matrix
        turn = float(np.degrees(np.arctan2(matrix[1, 0] - matrix[0, 1], matrix[0, 0] + matrix[1, 1])))
        out[k] = Alignment(
            None if still else Mesh.from_homography(matrix, size),
            0.0 if still else float(np.hypot(*shifts_of(found.matrix, size)[4])),
            turn,
            0.0 if still else found.error,
        )
        laid = pyramid(_blended(laid[0], own[0] if still else _moved(own, _half_size(matrix))))
    return out
