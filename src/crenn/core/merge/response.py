"""Turns the codes of developed pictures back into light."""

import itertools
from collections.abc import Callable, Sequence

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import srgb_decode
from crenn.core.frames.pictures import TOP
from crenn.core.frames.raw import RawFrame
from crenn.core.mosaic.bayer import half_colour
from crenn.core.mosaic.noise import NoiseModel

#: Codes between these shares of the range are taken for measured.
_LOW, _HIGH = 0.06, 0.94
#: A response is recovered from so many tones, and as many places of each; codes from the second on count as clipped,
#: and so far around them, in pixels, a coder rings.
_PLACES, _HIGHEST, _RINGS = 20, 250, 9


def _quads(frame: RawFrame, side: int = 600) -> np.ndarray:
    """Small picture of a mosaic's codes, float32 (h, w, 3), 0–1."""
    rgb = half_colour(frame.mosaic, frame.pattern, frame.black, TOP)
    factor = min(1.0, side / max(rgb.shape[:2]))
    return cv2.resize(rgb, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)


def is_linear(frames: Sequence[RawFrame]) -> bool:
    """Whether the codes of a bracket grow with the exposure as light does, dark and bright codes alike."""
    order = sorted(frames, key=lambda f: f.metadata.sensitivity or 1.0)
    slopes = []
    for a, b in itertools.pairwise(order):
        told = np.log2((b.metadata.sensitivity or 1) / (a.metadata.sensitivity or 1))
        if told < 0.3:
            continue
        x, y = (_quads(f)[..., 1].ravel() for f in (a, b))
        keep = (x > 0.02) & (y < _HIGH)
        if keep.sum() > 50:
            slopes.append(float(np.median(np.log2(y[keep] / x[keep]))) / told)
    return bool(slopes) and abs(float(np.median(slopes)) - 1) < 0.12


def _even_places(pictures: list[np.ndarray]) -> list[np.ndarray]:
    """Codes of the same places of every picture, uint8 (n, n, 3) each: of every tone those where neighbours agree most.

    Texture would mix codes. Beside what one picture clips there are none, as far as other places have such codes: a
    coder's ringing gives it codes below white.
    """
    greys = np.stack([p.mean(-1, dtype=np.float32) for p in pictures])
    texture, beside = np.zeros(greys.shape[1:], np.float32), np.zeros(greys.shape[1:], bool)
    reach = np.ones((_RINGS, _RINGS), np.uint8)
    for picture, grey in zip(pictures, greys):
        texture += cv2.blur(np.abs(grey - cv2.blur(grey, (5, 5))), (5, 5))
        full = (picture >= _HIGHEST).any(-1).astype(np.uint8)
        beside |= (cv2.dilate(full, reach) > 0) & (cv2.erode((picture.min(-1) >= 255).astype(np.uint8), reach) == 0)
    tones, even = greys.reshape(len(pictures), -1), texture.reshape(-1)
    clear = np.flatnonzero(~beside)
    picks = [np.zeros(0, np.int64)]
    if clear.size:
        # As many of each part of the tones there are.
        order = clear[np.argsort(tones[:, clear].sum(0), kind="stable")]
        best = [part[np.argsort(even[part], kind="stable")] for part in np.array_split(order, _PLACES)]
        picks = [part[np.linspace(0, part.size // 2, _PLACES).astype(int)] for part in best if part.size]
    found = np.concatenate(picks)
    for low in range(16, 240, 16):
        own = (tones >= low) & (tones < low + 16)
        if own[:, found].sum() < _PLACES:
            others = np.flatnonzero(own.any(0))
            more = others[np.argsort(even[others], kind="stable")[: max(others.size // 2, 1)]]
            found = np.concatenate(
                [found, more[np.linspace(0, more.size - 1, _PLACES).astype(int)]] if more.size else [found]
            )
    side = max(int(np.sqrt(found.size)), 1)
    shown = found[np.linspace(0, found.size - 1, side * side).astype(int)]
    return [np.ascontiguousarray(p.reshape(-1, 3)[shown].reshape(side, side, 3)) for p in pictures]


def response_of(frames: Sequence[RawFrame]) -> np.ndarray:
    """Response curve of a bracket: light of each of 256 codes, the highest at 1.

    From the frames' codes and exposure times (Debevec and Malik 1997, "Recovering high dynamic range radiance maps
    from photographs"), one curve for all colours, so that greys stay grey. A lone picture, or one of equal exposures,
    is taken for sRGB (IEC 61966-2-1).

    Parameters
    ----------
    frames : sequence of RawFrame
        Display-referred, of one size.

    Returns
    -------
    ndarray, float64 (256,)
        Rising.
    """
    plain = srgb_decode(np.arange(256) / 255.0)
    times = np.array([f.metadata.sensitivity or 1.0 for f in frames])
    if len(frames) < 2 or times.max() / times.min() < 1.2:
        return plain
    order = np.argsort(times)
    pictures = [np.clip(np.rint(_quads(frames[i]) * 255), 0, 255).astype(np.uint8) for i in order]
    chosen = _even_places(pictures)
    found = cv2.createCalibrateDebevec(samples=chosen[0].shape[0] ** 2, lambda_=30.0, random=False).process(
        chosen, times[order].astype(np.float32)
    )
    curve = np.log(np.maximum(found.reshape(256, 3).astype(np.float64), 1e-12)).mean(1)
    seen = np.bincount(np.concatenate([p.ravel() for p in pictures]), minlength=256)
    known = np.flatnonzero(seen[4:251] > 0) + 4
    if known.size < 40 or not np.isfinite(curve).all():
        return plain
    curve = np.exp(curve - curve[250])
    # The lowest codes are mostly noise and have little say: there the curve goes on straight to nothing.
    foot = max(int(known[0]), 16)
    curve[:foot] = curve[foot] * (np.arange(foot) / foot)
    return np.maximum.accumulate(curve) / max(curve[-1], curve[250])


def _rounding(light_of: Callable[[np.ndarray], np.ndarray], step: float) -> NoiseModel:
    """The variance that rounding to codes gives light, as nearly as a line tells it.

    Codes grow about as the root of light, so that a step is a line's deviation: a twelfth of its square is its variance
    if what is rounded is even.
    """
    codes = np.linspace(0.02, 0.95, 64)
    light = light_of(codes)
    variance = (light_of(codes + step / 2) - light_of(codes - step / 2)) ** 2 / 12
    known = variance > 0
    if known.sum() < 8:
        return NoiseModel(np.zeros(3, np.float32), np.full(3, step**2 / 12, np.float32))
    # Each as near as its share: dark ones must not be ruled by bright ones.
    weight = 1 / variance[known]
    rows = np.stack([light[known], np.ones(int(known.sum()))], 1) * weight[:, None]
    slope, offset = np.linalg.lstsq(rows, variance[known] * weight, rcond=None)[0]
    least = float(variance[known].min()) * 0.1
    return NoiseModel(np.full(3, max(slope, 0.0), np.float32), np.full(3, max(offset, least), np.float32))


def linearise(frames: Sequence[RawFrame], warnings: list[str]) -> None:
    """Turn the mosaics of developed pictures into light, in place, and say in ``warnings`` how far to trust them."""
    pictures = [f for f in frames if f.encoding != "linear"]
    warnings += [f"{f.name}: {'; '.join(f.notes)}." for f in frames if f.notes]
    if not pictures:
        return
    unknown = [f for f in pictures if f.encoding == "unknown"]
    if len(unknown) > 1 and len(unknown) == len(pictures) and is_linear(unknown):
        for f in unknown:
            f.encoding = "linear"
            f.rounding = _rounding(np.asarray, f.step) if f.step else None
        warnings.append("The pictures' numbers grow with the exposure as light does: they are merged as linear light.")
        return
    curve = response_of(pictures)
    alone = len(pictures) < 2

    def light_of(codes: np.ndarray) -> np.ndarray:
        # A lone picture is taken as its profile says, else for sRGB.
        return (pictures[0].curve or srgb_decode)(codes) if alone else np.interp(codes * 255, np.arange(256), curve)

    table = np.clip(np.rint(light_of(np.arange(TOP + 1) / TOP) * TOP), 0, TOP).astype(np.uint16)
    for f in pictures:
        if f.planes is not None:
            lost = f.planes >= TOP * 0.985
            for row in f.planes:
                row[:] = light_of(row * np.float32(1 / TOP)) * TOP
            if not alone:
                f.planes[lost] = TOP
        # The last codes are where a camera's curve flattens towards white: they count as clipped.
        clipped = f.mosaic >= TOP * 0.985
        f.mosaic = table[np.minimum(f.mosaic, TOP)]
        f.mosaic[clipped] = TOP
        f.encoding = "linear"
        f.rounding = _rounding(light_of, f.step) if f.step else None
    times = [f.metadata.sensitivity or 1.0 for f in pictures]
    by = "its profile's curve" if alone and pictures[0].curve else "the sRGB curve"
    if len(pictures) < 2 or max(times) / min(times) < 1.2:
        warnings.append(
            f"A developed picture: its light is worked out by {by}, its highlights stay as its camera "
            "compressed them, and the predicted noise is only roughly right."
        )
    else:
        warnings.append(
            "Developed pictures: their light was worked out from the bracket (Debevec and Malik 1997), to some "
            "percent where the frames overlap; what each camera's curve hid in its lights and shadows is gone, "
            "white balance is baked in, and the predicted noise is only roughly right."
        )
