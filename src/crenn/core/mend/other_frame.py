"""What another frame of a scene saw at a place: its light laid over the scene, with its noise."""

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import cachetools
import cv2
import numpy as np

from crenn.core.basis import basis_of
from crenn.core.errors import CrennError
from crenn.core.frames.light import LightFrame
from crenn.core.frames.raw import RawFrame, read_raw
from crenn.core.geometry.orientation import as_held, lies_across
from crenn.core.merge.colour import to_colour
from crenn.core.merge.combine import combine
from crenn.core.merge.costs import MergeStages, Work
from crenn.core.merge.describe import Facts
from crenn.core.merge.exposures import saturation_level
from crenn.core.merge.full_colour import merge_full_colour
from crenn.core.merge.load_frames import noise_of
from crenn.core.merge.places import to_held
from crenn.core.mosaic.noise import NoiseModel
from crenn.core.noise.cleaning import Cleaner
from crenn.core.noise.layers import CHANNELS, STARS, part_of
from crenn.core.pipeline.scene import Capture
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap

#: Bytes of decoded frames that are kept: five of 24 MP.
_KEPT = 256 * 2**20
#: Pixels around a part that rebuilding colour and telling noise look at.
_AROUND = 64
#: Share of a place that a frame must have seen, and by how many times more than around it it must differ within.
_SEEN, _OTHERWISE = 0.9, 1.25
#: A map that departs from a shift by whole pixels by no more than this, in pixels, is one.
_WHOLE = 0.02


@dataclass(frozen=True, eq=False)
class FramePart:
    """A part of a frame as it lies over the scene.

    Attributes
    ----------
    light, sigma : ndarray, float32 (h, w, 3)
        In the scene's units, and its predicted deviation.
    noise : ndarray, float16 (h, w, CHANNELS)
        Split off as of `crenn.core.noise.layers`.
    known : ndarray, bool (h, w)
        Where the frame saw something, and did not clip.
    """

    light: np.ndarray
    sigma: np.ndarray
    noise: np.ndarray
    known: np.ndarray


class _Decoded:
    """A decoded frame, with what is told by the whole of it."""

    def __init__(self, path: Path):
        self.raw: RawFrame = read_raw(path)
        self.noise: NoiseModel = noise_of(self.raw)
        self.clip = saturation_level(self.raw)

    @property
    def nbytes(self) -> int:
        planes = self.raw.planes
        return int(self.raw.mosaic.nbytes + (0 if planes is None else planes.nbytes))


class OtherFrames:
    """The frames that a scene was merged from.

    Parameters
    ----------
    report : dict
        Of the merge.
    path_of : callable
        From a frame's key to its file; None if it is not there.
    """

    def __init__(self, report: dict[str, Any], path_of: Callable[[str], Path | None] = lambda key: None):
        self._basis, self._maps = basis_of(report)
        self._ev = {f["key"]: float(f["ev"]) for f in report.get("frames") or () if f.get("key")}
        self._path_of = path_of
        self._decoded: cachetools.LRUCache[str, _Decoded] = cachetools.LRUCache(_KEPT, lambda one: one.nbytes)
        self._lock = threading.Lock()

    @property
    def keys(self) -> list[str]:
        """Of those that light may be taken from, in the order of the merge."""
        if self._basis is None:
            return []
        return [key for key in self._ev if key == self._basis.frame or key in self._maps]

    def to_frame(self, key: str) -> np.ndarray:
        """From the scene's pixels to a frame's, as it was held: float64 (3, 3), between continuous pixels.

        Raises
        ------
        CrennError
            If the scene has no such frame.
        """
        if key not in self.keys or self._basis is None:
            raise CrennError("This scene has no such frame.", remedy="Choose another, or merge it anew.")
        between = np.array(self._maps.get(key, np.eye(3)), np.float64).reshape(3, 3)
        return between @ _moved(*self._basis.offset)

    def part(self, key: str, box: tuple[int, int, int, int], with_noise: bool = True) -> FramePart:
        """A part of a frame, by (top, left, bottom, right) in pixels of the scene; its noise layers only on wish.

        Raises
        ------
        CrennError
            If the scene has no such frame, or its file is missing, cannot be read or is a picture.
        """
        decoded = self._decode(key)
        top, left, bottom, right = box
        flip, shape = decoded.raw.flip, decoded.raw.mosaic.shape
        held = shape[::-1] if lies_across(flip) else shape
        there = self.to_frame(key) @ _moved(left, top)
        corners = _at(there, [[0, 0], [right - left, 0], [0, bottom - top], [right - left, bottom - top]])
        x0, y0 = np.clip(np.floor(corners.min(0)).astype(int) - _AROUND, 0, [held[1], held[0]])
        x1, y1 = np.clip(np.ceil(corners.max(0)).astype(int) + _AROUND, 0, [held[1], held[0]])
        empty = np.zeros((bottom - top, right - left), bool)
        if x1 - x0 < 2 * _AROUND or y1 - y0 < 2 * _AROUND:
            blank = np.zeros((*empty.shape, 3), np.float32)
            return FramePart(blank, blank, np.zeros((*empty.shape, CHANNELS), np.float16), empty)
        # The same box on the sensor, grown to the mosaic's tiles.
        to_sensor = np.linalg.inv(to_held(shape, flip))
        ends = _at(to_sensor, [[x0, y0], [x1, y1]])
        low = np.floor(ends.min(0) + 1e-6).astype(int) // 2 * 2
        high = np.minimum(-(-np.ceil(ends.max(0) - 1e-6).astype(int) // 2) * 2, shape[::-1])
        own = low[1], low[0], high[1], high[0]
        radiance, capture = self._developed(decoded, own, 2.0 ** self._ev[key])
        noise = np.zeros((*radiance.shape, CHANNELS), np.float16)
        if with_noise:
            cleaner = Cleaner(radiance.rgb, radiance.sigma, capture)
            noise = part_of(cleaner, radiance.rgb, radiance.sigma, (0, 0, *radiance.shape))
        # From the part's pixels to those of what was developed, as it was held.
        inside = _at(to_held(shape, flip), [[low[0], low[1]], [high[0], high[1]]]).min(0)
        matrix = _moved(-inside[0], -inside[1]) @ there
        assert radiance.sigma is not None
        assert radiance.clipped is not None
        planes = [as_held(a, flip) for a in (radiance.rgb, radiance.sigma, noise, radiance.clipped)]
        return _laid(planes, matrix, empty.shape)

    def _decode(self, key: str) -> _Decoded:
        with self._lock:
            if (kept := self._decoded.get(key)) is not None:
                return kept
            path = self._path_of(key)
            if path is None:
                raise CrennError("The frame's file is missing.", remedy="Bring it in again.")
            decoded = _Decoded(path)
            if decoded.raw.encoding != "linear":
                raise CrennError(
                    "is a picture whose tones are known together with others' alone.",
                    path,
                    "Take the light of a place.",
                )
            if decoded.nbytes <= _KEPT:
                self._decoded[key] = decoded
            return decoded

    @staticmethod
    def _developed(decoded: _Decoded, box: tuple[int, int, int, int], gain: float) -> tuple[RadianceMap, Capture]:
        """A part of a frame on the sensor developed by itself, and what tells its noise."""
        top, left, bottom, right = box
        where = np.s_[top:bottom, left:right]
        raw = decoded.raw
        planes = None if raw.planes is None else raw.planes[where].copy()
        raw = replace(raw, mosaic=np.ascontiguousarray(raw.mosaic[where]), planes=planes)
        frame = LightFrame.of(raw, 0, decoded.noise, decoded.clip)
        frame.gain = gain
        facts = Facts(mode="single")
        merged = combine(frame.detach_mosaic()[None], [frame])
        merged.full = merge_full_colour([frame], None)
        if merged.full is not None:
            merged.full.light, merged.full.variance = merged.full.light / gain, merged.full.variance / gain**2
        radiance = to_colour(merged, frame, [frame], facts, False, MergeStages(Progress(), Work(1)))
        tile = "".join("RGB"[c] for c in raw.pattern.ravel())
        capture = Capture(
            to_camera=np.linalg.inv(raw.to_rec2020.astype(np.float64)),
            mosaic=None if raw.grey else tile,
            scale=facts.scale,
            developed=raw.developed,
        )
        return radiance, capture


def _moved(x: float, y: float) -> np.ndarray:
    return np.array([[1.0, 0.0, x], [0.0, 1.0, y], [0.0, 0.0, 1.0]])


def _at(matrix: np.ndarray, places: Any) -> np.ndarray:
    p = np.asarray(places, np.float64) @ matrix[:, :2].T + matrix[:, 2]
    return np.asarray(p[:, :2] / p[:, 2:])


def _laid(planes: list[np.ndarray], matrix: np.ndarray, shape: tuple[int, int]) -> FramePart:
    """Planes of a developed part laid over pixels of the scene, by a map between continuous pixels."""
    light, sigma, noise, clipped = planes
    height, width = shape
    corners = np.array([[0, 0], [width, 0], [0, height], [width, height]], np.float64)
    steps = _at(matrix, corners) - corners
    if np.abs(steps - np.round(steps.mean(0))).max() < _WHOLE:
        # Whole pixels, so that grain stays as it is.
        x, y = np.round(steps.mean(0)).astype(int)
        matrix = _moved(float(x), float(y))
        method = cv2.INTER_NEAREST
    else:
        method = cv2.INTER_CUBIC
    # OpenCV counts from the middles of pixels.
    centred = _moved(-0.5, -0.5) @ matrix @ _moved(0.5, 0.5)

    def laid(plane: np.ndarray, way: int, beyond: float = 0.0) -> np.ndarray:
        flags = way | cv2.WARP_INVERSE_MAP
        return cv2.warpPerspective(
            np.ascontiguousarray(plane), centred, (width, height), flags=flags, borderValue=[beyond] * 4
        )

    layers = [laid(noise[..., k].astype(np.float32), method) for k in range(CHANNELS)]
    layers[STARS] = np.clip(layers[STARS], 0, 1)
    # Where a pixel beside one clips, cubic interpolation has part of it.
    lost = cv2.dilate(clipped, np.ones((5, 5), np.uint8))
    return FramePart(
        laid(light, method),
        np.maximum(laid(sigma, cv2.INTER_NEAREST), 0.0),
        np.dstack(layers).astype(np.float16),
        laid(lost, cv2.INTER_NEAREST, 1.0) == 0,
    )


def best_frame(
    others: OtherFrames,
    box: tuple[int, int, int, int],
    hole: np.ndarray,
    here: np.ndarray,
    scaled: Callable[[np.ndarray], np.ndarray],
    attempt: int,
) -> str | None:
    """The frame that saw something else within a place, and what the scene shows around it.

    Parameters
    ----------
    others : OtherFrames
    box : tuple of int
        (top, left, bottom, right).
    hole : ndarray, bool (h, w)
        Which of its pixels the patch covers.
    here : ndarray, float32 (h, w, 3)
        What the scene shows there.
    scaled : callable
        Brings light to the scale of ``here``.
    attempt : int
        How many better frames are passed over.

    Returns
    -------
    str or None
        Its key; None if no frame saw the place, or all that did show what the scene shows.
    """
    ranks: list[tuple[float, str]] = []
    for key in others.keys:
        try:
            part = others.part(key, box, with_noise=False)
        except CrennError:
            continue
        seen, around = hole & part.known, ~hole & part.known
        if seen.sum() < _SEEN * hole.sum() or not around.any():
            continue
        differs = np.abs(cv2.blur(scaled(part.light) - here, (3, 3))).mean(-1)
        within, beside = float(differs[seen].mean()), float(np.median(differs[around]))
        if within > _OTHERWISE * beside:
            ranks.append((beside / within, key))
    ranks.sort()
    return ranks[attempt % len(ranks)][1] if ranks else None
