"""Decodes raw files to their mosaics, with all that is needed to turn numbers into light."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import rawpy

from crenn.core.colorimetry.hue_saturation import HueSaturationMap
from crenn.core.colorimetry.spaces import D65_XY, REC2020_TO_SRGB, REC2020_TO_XYZ
from crenn.core.colorimetry.white import temperature_of
from crenn.core.errors import UnreadableFrame
from crenn.core.frames.dng_colour import dng_colour
from crenn.core.frames.dng_profile import dng_profile
from crenn.core.frames.metadata import FrameMetadata, exif_tags, open_raw, read_metadata
from crenn.core.mosaic.noise import NoiseModel


@dataclass
class RawFrame:
    """One decoded raw frame.

    Attributes
    ----------
    path : Path
    metadata : FrameMetadata
    mosaic : ndarray, uint16 (H, W)
        Raw numbers of the visible area.
    pattern : ndarray, uint8 (2, 2)
        Colour of each site of the mosaic's tile: 0 R, 1 G, 2 B.
    black : ndarray, float32 (3,)
        Black level per colour, in raw numbers.
    white : float
        Raw number at saturation.
    neutral_gains : ndarray, float32 (3,)
        White balance as shot: factors per colour, green 1.
    to_rec2020 : ndarray, float32 (3, 3)
        Balanced camera colours to Rec. 2020; each row sums to 1.
    as_shot : tuple of float
        The same as temperature in kelvin and tint in thousandths of Duv.
    noise : NoiseModel or None
        From the file's noise profile; None if it has none.
    flip : int
        LibRaw's orientation: 0 none, 3 half turn, 5 quarter turn left, 6 quarter turn right.
    name : str
        What the user calls the frame.
    developed : bool
        Whether the mosaic was made from full colour: by LibRaw's demosaic, as the sensor has no Bayer mosaic, or from
        a developed picture.
    encoding : str
        What the mosaic's numbers are: ``linear`` light, ``display`` codes of a curve not known yet, or ``unknown``.
    notes : tuple of str
        What was left out or changed in reading.
    planes : ndarray, float32 (H, W, 3), or None
        All three colours of each pixel, in the mosaic's numbers but not rounded, where it was made from full colour.
    step : float
        From one code to the next, saturation being 1; 0 where they are finer than noise.
    rounding : NoiseModel or None
        The variance that rounding to codes gives the light.
    finished : bool
        Whether it is a picture, whose ends are as somebody wanted them, and not what a sensor recorded.
    for_display : bool
        Whether its codes are for a display, so that its tones are as somebody wanted them seen.
    curve : callable or None
        From codes, 0 to 1, to light, as the file's profile tells.
    profile : tuple of HueSaturationMap
        Tables of hues that the file brings along, in the order in which they act.
    grey : bool
        Whether the file has one channel only: every site of the mosaic holds the same grey.
    """

    path: Path
    metadata: FrameMetadata
    mosaic: np.ndarray
    pattern: np.ndarray
    black: np.ndarray
    white: float
    neutral_gains: np.ndarray
    to_rec2020: np.ndarray
    as_shot: tuple[float, float]
    noise: NoiseModel | None
    flip: int
    name: str
    developed: bool = False
    encoding: str = "linear"
    notes: tuple[str, ...] = ()
    grey: bool = False
    planes: np.ndarray | None = None
    curve: Callable[[np.ndarray], np.ndarray] | None = None
    finished: bool = False
    for_display: bool = False
    step: float = 0.0
    rounding: NoiseModel | None = None
    profile: tuple[HueSaturationMap, ...] = ()


#: Saturation of what LibRaw has developed.
_FULL = 65535.0
#: LibRaw develops a mosaic of six by six in tiles of this side.
_SMALLEST_SIX = 512
#: Condition of a camera's matrix beyond which it is damaged.
_WORST = 100.0


def _bayer_pattern(raw: rawpy.RawPy) -> np.ndarray | None:
    """Colours of the mosaic's tile, uint8 (2, 2), or None if the sensor has no ordinary Bayer mosaic."""
    if raw.raw_type != rawpy.RawType.Flat or raw.raw_pattern is None or raw.raw_pattern.shape != (2, 2):
        return None
    letters = raw.color_desc.decode("ascii", "replace")
    # Margins that LibRaw hides may be odd: the tile is read where the visible area begins.
    colours = [letters[index] for row in raw.raw_colors_visible[:2, :2] for index in row]
    if sorted(colours) != ["B", "G", "G", "R"]:
        return None
    return np.array(["RGB".index(c) for c in colours], np.uint8).reshape(2, 2)


def _developed(raw: rawpy.RawPy) -> tuple[np.ndarray, np.ndarray | None]:
    """Linear camera colours by LibRaw's own demosaic, of sensors with another mosaic or none; black is taken off.

    Returns
    -------
    mosaic : ndarray, uint16 (H, W)
        Sampled from them as a Bayer mosaic, by which frames are aligned, measured and compared; `_FULL` is saturation.
    planes : ndarray, float32 (H, W, 3), or None
        All of them. What has one channel only is taken for grey, and has none.
    """
    # Balanced, or edges of grey things would be taken for coloured ones; held so that no colour clips by it.
    gains = np.ones(3, np.float32) if raw.num_colors == 1 else _neutral_gains(raw)
    colour = np.atleast_3d(
        raw.postprocess(
            output_color=rawpy.ColorSpace.raw,
            gamma=(1, 1),
            no_auto_bright=True,
            user_wb=[*gains.tolist(), float(gains[1])],
            highlight_mode=rawpy.HighlightMode.Ignore,
            output_bps=16,
            user_flip=0,
        )
    )
    if colour.shape[2] == 1:
        # A sensor without colour filters: its light is grey.
        return colour[..., 0].copy(), None
    planes = colour * (gains.max() / gains)
    mosaic = np.minimum(np.rint(planes), _FULL).astype(np.uint16)
    out = mosaic[..., 1].copy()
    out[::2, ::2], out[1::2, 1::2] = mosaic[::2, ::2, 0], mosaic[1::2, 1::2, 2]
    return out, planes.astype(np.float32, copy=False)


def _camera_matrix(raw: rawpy.RawPy) -> np.ndarray:
    """Balanced camera colours to Rec. 2020, float32 (3, 3); each row sums to 1.

    LibRaw knows of most cameras a matrix from XYZ, under D65; DNG files bring one along, which it turns to sRGB.
    """
    from_xyz, to_srgb = (np.array(m, np.float64)[:3, :3] for m in (raw.rgb_xyz_matrix, raw.color_matrix))
    if _tells(from_xyz):
        to_camera = from_xyz @ REC2020_TO_XYZ
    elif _tells(to_srgb) and np.linalg.cond(to_srgb) < _WORST:
        to_camera = np.linalg.inv(to_srgb) @ REC2020_TO_SRGB
    else:
        # Nobody knows the camera: its colours are taken for those of sRGB.
        to_camera = REC2020_TO_SRGB
    sums = to_camera.sum(axis=1, keepdims=True)
    balanced = to_camera / np.where(np.abs(sums) < 1e-9, 1.0, sums)
    if (np.abs(sums) < 1e-3).any() or np.linalg.cond(balanced) > _WORST:
        # A matrix that makes no white, or blows colours up beyond all sense, is a damaged one.
        return np.eye(3, dtype=np.float32)
    return np.linalg.inv(balanced).astype(np.float32)


def _tells(matrix: np.ndarray) -> bool:
    return matrix.shape == (3, 3) and bool(np.isfinite(matrix).all()) and not np.allclose(matrix, 0)


def _neutral_gains(raw: rawpy.RawPy) -> np.ndarray:
    for gains in (raw.camera_whitebalance, raw.daylight_whitebalance):
        gains = np.array(gains[:3], np.float64)
        if gains.shape == (3,) and np.isfinite(gains).all() and (gains > 0).all() and gains.max() < 1000 * gains.min():
            return (gains / gains[1]).astype(np.float32)
    return np.ones(3, np.float32)


def _as_shot(raw: rawpy.RawPy, gains: np.ndarray, matrix: np.ndarray) -> tuple[float, float]:
    """Temperature and tint of the light that the gains make neutral; daylight's gains belong to D65."""
    daylight = np.array(raw.daylight_whitebalance[:3], np.float64)
    if daylight.shape != (3,) or not (np.isfinite(daylight).all() and (daylight > 0).all()):
        return temperature_of(*D65_XY)
    xyz = REC2020_TO_XYZ @ matrix @ (daylight / daylight[1] / gains)
    if not (xyz > 0).all():
        return temperature_of(*D65_XY)
    temperature, tint = temperature_of(*(xyz[:2] / xyz.sum()))
    return round(temperature, 1), round(tint, 2)


def read_raw(path: Path, name: str | None = None) -> RawFrame:
    """Decode a raw file; ``name`` is what the user calls it, by default the file's name.

    Raises
    ------
    UnreadableFrame
        If the file is foreign, truncated or damaged.
    """
    path = Path(path)
    try:
        return _decode(path, name or path.name)
    except UnreadableFrame as fault:
        raise UnreadableFrame(fault.fault, name or path, fault.remedy) from None


def _decode(path: Path, name: str) -> RawFrame:
    with open_raw(path) as raw:
        metadata = read_metadata(path, raw)
        # Once LibRaw has failed it tells nothing more.
        width, height = raw.sizes.width, raw.sizes.height
        six = raw.raw_pattern is not None and raw.raw_pattern.shape == (6, 6)
        try:
            bayer = _bayer_pattern(raw)
            developed, planes = bayer is None, None
            pattern = np.array([[0, 1], [1, 2]], np.uint8) if bayer is None else bayer
            if developed:
                mosaic, planes = _developed(raw)
            else:
                mosaic = raw.raw_image_visible[: raw.sizes.height, : raw.sizes.width].copy()
        except (rawpy.LibRawError, ValueError, IndexError, TypeError):
            if six and min(width, height) < _SMALLEST_SIX:
                raise UnreadableFrame(
                    f"is {width}×{height}: LibRaw develops mosaics of 6×6 from {_SMALLEST_SIX} pixels a side on.",
                    path,
                    "Use a larger frame.",
                ) from None
            raise UnreadableFrame(
                "is damaged: its picture data breaks off.", path, "Copy it again from the card."
            ) from None
        levels = raw.black_level_per_channel
        letters = raw.color_desc.decode("ascii", "replace")
        black = np.array(
            [np.mean([v for v, c in zip(levels, letters) if c == colour] or levels) for colour in "RGB"], np.float32
        )
        white = float(raw.white_level)
        if white <= black.max() + 1:
            raise UnreadableFrame(
                f"has a white level of {white:.0f} at a black level of {black.max():.0f}.",
                path,
                "Its metadata is damaged.",
            )
        if developed:
            white, black = _FULL, np.zeros(3, np.float32)
        noise = NoiseModel.from_profile(metadata.noise_profile) if metadata.noise_profile else None
        gains, matrix = _neutral_gains(raw), _camera_matrix(raw)
        as_shot = _as_shot(raw, gains, matrix)
        profile: tuple[HueSaturationMap, ...] = ()
        if path.suffix.lower() == ".dng":
            known = dng_colour(exif_tags(path), 1.0 / gains.astype(np.float64))
            if known is not None:
                matrix, as_shot = known.to_rec2020.astype(np.float32), known.white
            profile = dng_profile(path, 0.0 if known is None else known.share)
        grey = raw.num_colors == 1
        if grey:
            gains, matrix, as_shot = np.ones(3, np.float32), np.eye(3, dtype=np.float32), temperature_of(*D65_XY)
        return RawFrame(
            path,
            metadata,
            mosaic,
            pattern,
            black,
            white,
            gains,
            matrix,
            as_shot,
            noise,
            int(raw.sizes.flip),
            name,
            developed,
            grey=grey,
            planes=None if grey else planes,
            profile=() if grey else profile,
        )
