"""Detail that lies between the pixels of one frame and in those of others: from the sites of moved frames.

What the frames' demosaics agree on is a guide; what their sites measured beside it corrects it. Regressing the values
of sites themselves fails at edges, where a kernel reaches across; departures from a guide are small there as well.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.frames.light import LightFrame
from crenn.core.geometry.lanczos import lanczos
from crenn.core.geometry.mapping import STEP, Mesh
from crenn.core.merge.ghosts import CELL
from crenn.core.mosaic.corrections import mean_variance, with_departures, with_lines
from crenn.core.mosaic.gathering import REACH, gather
from crenn.core.mosaic.residuals import guide_of, leave_out, predict, room_for_sites
from crenn.core.pipeline.fringes import Fringes
from crenn.core.progress import Progress

_TEXT = "Gathering detail of all frames"
#: Rows of the picture that are worked on at once, and rows beside them that filters and kernels reach.
_BAND, _MARGIN = 384, 12
#: Sites of so many frames are held at once.
_AT_ONCE = 6
#: Frames that lie farther off than this, in pixels, are not asked; it is looked for in some slabs of so many rows.
_REGISTERED, _SLABS, _SLAB = 0.15, 4, 64
#: Nothing is corrected so many pixels around light that was lost, and where the brightest within them is so many times
#: the darkest.
_LOST, _CONTRAST = 5, 50.0
#: A site is left out where its light, as predicted, comes this many deviations near to clipping.
_NEAR_CLIPPED = 4.0
#: Deviations of the Gaussians by which departures are gathered, for red, green and blue, in pixels.
_DEPARTURES = np.array([0.55, 0.45, 0.55], np.float32)
#: Deviation of the Gaussian by which the lines of colours over green are gathered.
_LINES = np.full(3, 0.8, np.float32)


class _Frame:
    """A frame's sites in the picture's light."""

    def __init__(self, frame: LightFrame, balance: np.ndarray, fringes: Fringes) -> None:
        assert frame.sites is not None
        self.mosaic, self.share = frame.sites.mosaic, frame.sites.share
        levels = frame.sites.levels
        per = (balance / frame.gain).astype(np.float32)
        self.black, self.scale = levels.black.astype(np.float32), (levels.scale * per).astype(np.float32)
        self.slope = (frame.noise.slope * per).astype(np.float32)
        self.offset = (frame.noise.offset * per**2).astype(np.float32)
        full = (levels.clip_light * per).astype(np.float32)
        self.limit = (full - _NEAR_CLIPPED * np.sqrt(self.slope * full + self.offset)).astype(np.float32)
        size = self.mosaic.shape
        mesh = frame.mesh or Mesh.identity(size)

        # Where each colour of a place of the picture lies in the frame, and back.
        def drawn(channel: int) -> Mesh:
            return Mesh.of(lambda p: mesh.at(fringes.drawn(p, channel, size)), size)

        self.apart = fringes != Fringes()
        into = [drawn(c) for c in range(3)] if self.apart else [mesh] * 3
        back = [m.inverted(size) for m in (into if self.apart else into[:1])]
        self.into = np.stack([m.nodes for m in into])
        self.out_of = np.stack([m.nodes for m in (back if self.apart else back * 3)])

    def rows(self, top: int, bottom: int) -> tuple[int, int]:
        """Rows of the frame that rows of the picture may ask: the first, an even one, and the one after the last."""
        about = self.into[:, max(top // STEP, 0) : bottom // STEP + 2, :, 1]
        low, high = int(np.floor(about.min())) - REACH - 1, int(np.ceil(about.max())) + REACH + 2
        return max(low // 2 * 2, 0), min(high, self.mosaic.shape[0])


@dataclass(frozen=True)
class Gathered:
    """What came of it.

    Attributes
    ----------
    frames : int
        Frames that were asked.
    closer_db : float
        By how much more closely their sites fit the picture, in dB.
    """

    frames: int = 0
    closer_db: float = 0.0


def refine(
    rgb: np.ndarray,
    sigma: np.ndarray,
    frames: Sequence[LightFrame],
    pattern: np.ndarray,
    balance: np.ndarray,
    fringes: Fringes,
    lost: np.ndarray,
    ground: np.ndarray | None,
    light_scale: np.float32,
    progress: Progress,
) -> Gathered:
    """Correct a picture, and its predicted noise, by what the sites of frames measured, in place.

    Parameters
    ----------
    rgb : ndarray, float32 (H, W, 3)
        Balanced colours of the camera, 1.0 where the reference frame saturates in green.
    sigma : ndarray, float32 (H, W, 3)
        Its predicted deviation, of the working space's colours.
    frames : sequence of LightFrame
        Those with sites are asked.
    pattern : ndarray, uint8 (2, 2)
    balance : ndarray, float32 (3,)
        By which raw light is multiplied for that.
    fringes : Fringes
        Lateral colour of the lens, of which the picture is free and the sites are not.
    lost : ndarray, bool (H, W)
        Sites whose light was rebuilt: around them the picture stays as it is, for no site measured what is there.
    ground : ndarray, uint8 (H, W) or None
        255 where the picture was made of frames as they lay, 0 where they were moved.
    light_scale : float32
        Of the compressive scale on which the picture is interpolated.
    progress : Progress
    """
    pattern = np.asarray(pattern, np.uint8)
    known = [_Frame(f, np.asarray(balance, np.float32), fringes) for f in frames if f.sites is not None]
    fits = []
    for number, frame in enumerate(known):
        progress.at(0.05 * number / len(known), _TEXT)
        fits.append((frame, _fit(frame, rgb, light_scale, pattern)))
    fits = [(f, fit) for f, fit in fits if fit.beside <= _REGISTERED]
    own = [f for f, _ in fits]
    if len(own) < 2:
        return Gathered()
    kept = _Kept(rgb, lost, light_scale)
    steps = (_with_departures, _with_lines, _with_departures)
    for number, step in enumerate(steps):
        within = progress.part(0.05 + 0.9 * number / len(steps), 0.05 + 0.9 * (number + 1) / len(steps))
        for done, band in _bands(rgb, light_scale):
            within.at(done, _TEXT)
            band.put(step(band, own, pattern))
        kept.restore(rgb)
    progress.at(0.95, _TEXT)
    closer = _closer([fit for _, fit in fits], [_fit(f, rgb, light_scale, pattern) for f in own])
    kept.relieve(sigma, _noise_left(own, float(np.median(rgb[::8, ::8, 1]))), ground)
    return Gathered(len(own), closer)


def _noise_left(frames: Sequence[_Frame], light: float) -> np.ndarray:
    """Deviation of red, green and blue of the working space, relative to what was predicted for moved frames, (3,).

    Lines over green make blue quieter, at the cost of red where many frames share in the light. From even parts of
    the simulated camera's stacks of 2 to 12 frames and brackets of 3 and 5, ISO 100 to 3200: within 0.05 of red and
    0.03 of the others.
    """
    weights = np.array([1 / (f.slope[1] * max(light, 0.0) + f.offset[1]) for f in frames if light < f.limit[1]])
    count = max(float(weights.sum() ** 2 / (weights**2).sum()), 1.0) if weights.size else 1.0
    return np.array([max(1.12 - 0.36 / count, 0.95), 1.06, 0.87 - 0.06 / count], np.float32)


class _Kept:
    """What a picture shows around light that was lost, and around lamps, whose least departure outshines the dark."""

    def __init__(self, rgb: np.ndarray, lost: np.ndarray, light_scale: np.float32) -> None:
        around = np.ones((2 * _LOST + 1, 2 * _LOST + 1), np.uint8)
        near = cv2.dilate(lost.astype(np.uint8), around)
        green = np.ascontiguousarray(rgb[..., 1])
        dark = np.maximum(cv2.erode(green, around), 0) + light_scale / 4
        near |= (cv2.dilate(green, around) > _CONTRAST * dark).astype(np.uint8)
        # Towards the border of what stays it goes over into what is corrected.
        share = cv2.blur(near.astype(np.float32), (5, 5))
        self._where = np.nonzero(share > 0)
        self._share, self._shown = share[self._where][:, None], rgb[self._where]

    def relieve(self, sigma: np.ndarray, left: np.ndarray, ground: np.ndarray | None) -> None:
        """Take over in a predicted noise, in place, that of what was corrected is ``left`` (3,) of it."""
        before = sigma[self._where]
        if ground is None:
            sigma *= left
        else:
            # Ground that stays was not moved.
            sigma[ground < 128] *= left
        sigma[self._where] = self._share * before + (1 - self._share) * sigma[self._where]

    def restore(self, rgb: np.ndarray) -> None:
        """Show it again, in place."""
        rgb[self._where] = self._share * self._shown + (1 - self._share) * rgb[self._where]


@dataclass(frozen=True)
class _Fit:
    """How the sites of a frame fit a picture: by how much they lie beside it, in pixels, and depart from it.

    Departures are a sum of squares in units of noise, over ``sites`` of them.
    """

    beside: float
    departures: float
    sites: int


def _fit(frame: _Frame, rgb: np.ndarray, light_scale: np.float32, pattern: np.ndarray) -> _Fit:
    """Hold the sites of a frame against a picture, in some slabs of it.

    By how much they lie beside it follows from the slope of what is predicted of them (Lucas and Kanade 1981).
    """
    normal, right = np.zeros((2, 2)), np.zeros(2)
    departures, sites, height = 0.0, 0, len(rgb)
    for first in np.unique(np.linspace(0, max(height - _SLAB, 0), _SLABS).astype(int)).tolist():
        band = _Band(first, rgb[first : first + _SLAB], light_scale, rgb[:0], 0)
        rows = frame.rows(first, first + len(band.light))
        if rows[0] < rows[1]:
            ((says, off, told),) = its = room_for_sites(1, 3, rows[1] - rows[0], frame.mosaic.shape[1])
            _told(band, frame, rows, pattern, its[0])
            # Slopes are those of sites of one colour, which lie two apart.
            across, down = (told[:, 1:-1, 2:] - told[:, 1:-1, :-2]) / 4, (told[:, 2:, 1:-1] - told[:, :-2, 1:-1]) / 4
            beside = says[:, 1:-1, 2:] * says[:, 1:-1, :-2] * says[:, 2:, 1:-1] * says[:, :-2, 1:-1]
            good = says[:, 1:-1, 1:-1] * beside > 0
            off, at = off[:, 1:-1, 1:-1], told[:, 1:-1, 1:-1]
            colours = pattern.reshape(4, 1, 1)
            noise = frame.slope[colours] * np.maximum(at, 0) + frame.offset[colours]
            # Where the prediction is steep, it is also wrong: that counts less.
            weight = 1 / (noise + 0.05 * (across**2 + down**2))
            x, y, r, w = (v[good] for v in (across, down, off, weight))
            normal += [[np.sum(w * x * x), np.sum(w * x * y)], [np.sum(w * x * y), np.sum(w * y * y)]]
            right += [np.sum(w * x * r), np.sum(w * y * r)]
            departures += float(np.sum(r * r / noise[good], dtype=np.float64))
            sites += r.size
    beside = np.zeros(2)
    if normal[0, 0] * normal[1, 1] > 0:
        beside = np.linalg.solve(normal + 1e-9 * np.trace(normal) * np.eye(2), right)
    return _Fit(float(np.hypot(*beside)), departures, sites)


def _closer(before: Sequence[_Fit], after: Sequence[_Fit]) -> float:
    """By how much more closely sites fit a picture, in dB."""
    was, now = (sum(f.departures for f in fits) / max(sum(f.sites for f in fits), 1) for fits in (before, after))
    return float(10 * np.log10(was / now)) if was > 0 and now > 0 else 0.0


class _Band:
    """Some rows of the picture with those beside them, as they were before any of this pass was corrected."""

    def __init__(self, first: int, light: np.ndarray, light_scale: np.float32, out: np.ndarray, skip: int) -> None:
        self.first, self.light, self.light_scale = first, light, light_scale
        self._out, self._skip = out, skip
        self.planes = np.ascontiguousarray(np.moveaxis(light, -1, 0))
        self.guide = guide_of(self.planes, light_scale)

    def put(self, corrected: np.ndarray) -> None:
        """Take over the rows of this band."""
        self._out[:] = corrected[self._skip : self._skip + len(self._out)]


def _bands(rgb: np.ndarray, light_scale: np.float32) -> Iterator[tuple[float, _Band]]:
    height, margin = len(rgb), 2 * _MARGIN
    above = rgb[:0].copy()
    for top in range(0, height, _BAND):
        bottom = min(top + _BAND, height)
        below = rgb[top : min(bottom + margin, height)]
        light = np.concatenate([above, below])
        above = light[max(len(above) + bottom - top - margin, 0) : len(light) - (len(below) - (bottom - top))].copy()
        skip = len(light) - len(below)
        yield top / height, _Band(top - skip, light, light_scale, rgb[top:bottom], skip)


def _told(band: _Band, frame: _Frame, rows: tuple[int, int], pattern: np.ndarray, sites: np.ndarray) -> None:
    """Fill ``sites`` with what `predict` tells of some rows of a frame."""
    top, bottom = rows
    predict(
        frame.mosaic[top:bottom],
        top,
        frame.out_of,
        band.guide,
        band.first,
        band.light.shape[1],
        pattern,
        frame.black,
        frame.scale,
        frame.limit,
        band.light_scale,
        lanczos(),
        sites,
    )
    if frame.share.size:
        leave_out(sites, top, frame.out_of, pattern, frame.slope, frame.offset, frame.share, CELL)


def _gathered(
    band: _Band, frames: Sequence[_Frame], pattern: np.ndarray, planes: int, deviations: np.ndarray
) -> np.ndarray:
    """What `gather` gathers from the sites of frames about a band, some frames at a time."""
    height, width = band.light.shape[:2]
    asked = [(f, rows) for f in frames if (rows := f.rows(band.first, band.first + height))[0] < rows[1]]
    sums = (np.empty if asked else np.zeros)((3, 2 * planes if planes > 3 else 4, height, width), np.float32)
    for number in range(0, len(asked), _AT_ONCE):
        some = asked[number : number + _AT_ONCE]
        most = max(bottom - top for _, (top, bottom) in some)
        sites = room_for_sites(len(some), planes, most, some[0][0].mosaic.shape[1])
        for (frame, rows), its in zip(some, sites):
            _told(band, frame, rows, pattern, its)
        gather(
            sites,
            np.array([top for _, (top, _) in some]),
            np.stack([f.into for f, _ in some]),
            np.array([f.apart for f, _ in some]),
            band.first,
            pattern,
            np.stack([f.slope for f, _ in some]),
            np.stack([f.offset for f, _ in some]),
            band.planes,
            deviations,
            number > 0,
            sums,
        )
    return sums


def _with_lines(band: _Band, frames: Sequence[_Frame], pattern: np.ndarray) -> np.ndarray:
    """Red and blue by lines over green, fitted to the sites around each place, as far as they fit better."""
    moments = _gathered(band, frames, pattern, 4, _LINES)
    slope, offset, limit = (np.array(v) for v in zip(*((f.slope[1], f.offset[1], f.limit[1]) for f in frames)))
    return with_lines(band.planes, moments, mean_variance(band.planes[1], slope, offset, limit))


def _with_departures(band: _Band, frames: Sequence[_Frame], pattern: np.ndarray) -> np.ndarray:
    """The picture with what sites around each place depart from it by, as far as that is more than their noise."""
    return with_departures(band.planes, _gathered(band, frames, pattern, 3, _DEPARTURES))
