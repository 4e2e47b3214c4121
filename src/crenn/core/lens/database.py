"""Lenses that are known: Lensfun's database, which ships with the application, and the simulated camera's lens."""

import re
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path

import lensfunpy
import numpy as np

from crenn.core.errors import CrennError
from crenn.core.lens.profile import LensProfile, radii
from crenn.core.pipeline.scene import Capture

_OWN = Path(__file__).parent / "simulated.xml"
#: Size of the picture on which profiles are sampled: its longer side, in pixels.
_SAMPLED = 3001
#: Metres between lens and subject: what is far away, as most of a night is.
_DISTANCE = 1000.0


@dataclass(frozen=True)
class KnownLens:
    """A lens of the database.

    Attributes
    ----------
    name : str
        Maker and model, as documents name it.
    focal_lengths : tuple of float
        Shortest and longest, in mm.
    aperture : float or None
        Widest f-number.
    distortion, fringes, falloff : bool
        What the database knows of it.
    fits : bool
        Whether it fits the camera it was looked for.
    """

    name: str
    focal_lengths: tuple[float, float]
    aperture: float | None
    distortion: bool
    fringes: bool
    falloff: bool
    fits: bool = False


@cache
def _database() -> lensfunpy.Database:
    # What a machine has installed besides must not change pictures.
    return lensfunpy.Database(paths=[str(_OWN)], load_common=False, load_bundled=True)


def _name(lens) -> str:
    maker, model = lens.maker or "", lens.model or ""
    return model if model.lower().startswith(maker.lower()) else f"{maker} {model}"


@cache
def _by_name() -> dict[str, list]:
    named: dict[str, list] = {}
    for lens in _database().lenses:
        named.setdefault(_name(lens), []).append(lens)
    return dict(sorted(named.items(), key=lambda item: item[0].lower()))


def _camera(capture: Capture):
    found = _database().find_cameras(capture.make or None, capture.model) if capture.model else []
    return found[0] if found else None


def crop_of(capture: Capture) -> float | None:
    """How many times smaller a camera's sensor is than 36 by 24 mm, by the diagonal; None where it is not known."""
    camera = _camera(capture)
    return None if camera is None else float(camera.crop_factor)


def _numbers(text: str) -> set[float]:
    """The focal lengths and f-numbers in a lens's name."""
    return {float(number) for number in re.findall(r"\d+(?:\.\d+)?", text)}


def _found(capture: Capture):
    """The lens that the frames tell of; None if it is not known for sure."""
    camera = _camera(capture)
    if camera is None:
        return None
    if not capture.lens:
        # A camera with a mount of its own has one lens, which needs no name.
        fixed = bool(camera.mount) and camera.mount[0].islower()
        one = _database().find_lenses(camera, None, None) if fixed else []
        return one[0] if len(one) == 1 else None
    for lens in _database().find_lenses(camera, None, capture.lens):
        # The search is by likeness: a lens of other numbers is another lens.
        if _numbers(capture.lens) == _numbers(lens.model):
            return lens
    return None


def _named(name: str, capture: Capture):
    """The entry for a lens of a name that suits the camera best.

    Raises
    ------
    CrennError
        If there is none.
    """
    entries = _by_name().get(name)
    if not entries:
        raise CrennError(
            f"There is no lens “{name[:80]}” in the database.", remedy="Choose one from its list, or none."
        )
    camera = _camera(capture)
    if camera is None:
        return min(entries, key=lambda lens: lens.crop_factor)
    # Calibrated on a sensor as large as the camera's, or else the next larger.
    return min(entries, key=lambda lens: (lens.crop_factor > camera.crop_factor + 0.01, -lens.crop_factor))


def _described(lens, fits: bool) -> KnownLens:
    return KnownLens(
        _name(lens),
        (float(lens.min_focal), float(lens.max_focal or lens.min_focal)),
        float(lens.min_aperture) if lens.min_aperture else None,
        bool(lens.calib_distortion),
        bool(lens.calib_tca),
        bool(lens.calib_vignetting),
        fits,
    )


def search(text: str, capture: Capture, most: int = 40) -> list[KnownLens]:
    """Lenses whose names hold all words of a text; those that fit the camera first."""
    camera = _camera(capture)
    words = text.lower().split()
    out = []
    for name, entries in _by_name().items():
        if all(word in name.lower() for word in words):
            fits = camera is not None and any(camera.mount in (lens.mounts or []) for lens in entries)
            out.append(_described(_named(name, capture), fits))
    return sorted(out, key=lambda lens: not lens.fits)[:most]


def lens_of(name: str | None, capture: Capture) -> KnownLens | None:
    """The lens of a name; the one that the frames tell of if it is None; None if there is none.

    Raises
    ------
    CrennError
        If there is no lens of the name.
    """
    if name == "":
        return None
    lens = _found(capture) if name is None else _named(name, capture)
    return None if lens is None else _described(lens, True)


def profile_of(
    name: str | None, focal_length: float | None, aperture: float | None, capture: Capture, size: tuple[int, int]
) -> LensProfile:
    """What a lens does to a scene.

    Parameters
    ----------
    name : str or None
        As `KnownLens.name`; the lens that the frames tell of if None, no lens if empty.
    focal_length : float or None
        mm. A lens that has only one needs none.
    aperture : float or None
        f-number; without it nothing is known of the fall-off.
    capture : Capture
    size : tuple of int
        (H, W) of the scene.

    Raises
    ------
    CrennError
        If the database has no such lens, or a zoom's focal length is not known.
    """
    if name == "":
        return LensProfile.none()
    lens = _found(capture) if name is None else _named(name, capture)
    if lens is None:
        return LensProfile.none()
    if focal_length is None:
        if lens.min_focal != lens.max_focal:
            if name is None:
                return LensProfile.none()
            raise CrennError(f"The frames do not tell the focal length of “{name}”.", remedy="Fill it in.")
        focal_length = lens.min_focal
    camera = _camera(capture)
    crop = camera.crop_factor if camera is not None else lens.crop_factor
    sides = size[1] / capture.part[2], size[0] / capture.part[3]
    # Rounded: a pixel more or less of a cut scene is the same sensor.
    ratio = round(max(sides) / min(sides), 2)
    return _sampled(_name(lens), lens.crop_factor, crop, float(focal_length), aperture, ratio)


@lru_cache(maxsize=64)
def _sampled(
    name: str, calibrated: float, crop: float, focal_length: float, aperture: float | None, ratio: float
) -> LensProfile:
    """A profile along half a diagonal, by Lensfun's own models."""
    lens = next(one for one in _by_name()[name] if one.crop_factor == calibrated)
    flags = lensfunpy.ModifyFlags
    width, height = _SAMPLED, 1 + round((_SAMPLED - 1) / ratio)
    middle = np.array([width - 1, height - 1]) / 2
    half = float(np.hypot(*middle))
    drawn = np.ones((3, radii().size))
    modifier = lensfunpy.Modifier(lens, crop, width, height)
    # A scale of 1 keeps the middle as large as it was recorded.
    modifier.initialize(focal_length, aperture or 8.0, _DISTANCE, 1.0, flags=flags.DISTORTION | flags.TCA)
    for index, radius in enumerate(radii()):
        if index:
            x, y = middle * (1 + radius)
            place = modifier.apply_subpixel_geometry_distortion(x, y, 1, 1)
            if place is None:
                break
            drawn[:, index] = np.hypot(*(place[0, 0] - middle).T) / (radius * half)
    drawn[:, 0] = drawn[:, 1]
    if aperture is None or not lens.calib_vignetting:
        return LensProfile(drawn, np.zeros(radii().size))
    # Between the apertures that were measured, Lensfun keeps to the nearest: it should go by the stop.
    measured = sorted({float(one.aperture) for one in lens.calib_vignetting})
    wider = max((a for a in measured if a <= aperture), default=measured[0])
    narrower = min((a for a in measured if a >= aperture), default=measured[-1])
    one, other = (_falloff(lens, crop, focal_length, a, ratio) for a in (wider, narrower))
    share = np.log2(aperture / wider) / np.log2(narrower / wider) if narrower > wider else 0.0
    return LensProfile(drawn, one + share * (other - one))


def _falloff(lens, crop: float, focal_length: float, aperture: float, ratio: float) -> np.ndarray:
    """EV by which light is too weak at each radius, at an aperture that was measured."""
    width, height = 601, 1 + round(600 / ratio)
    modifier = lensfunpy.Modifier(lens, crop, width, height)
    flags = lensfunpy.ModifyFlags.VIGNETTING
    modifier.initialize(focal_length, aperture, _DISTANCE, 1.0, flags=flags, pixel_format=np.float32)
    gain = np.ones((height, width, 3), np.float32)
    if not modifier.apply_color_modification(gain):
        return np.zeros(radii().size)
    y, x = np.mgrid[:height, :width]
    middle = (width - 1) / 2, (height - 1) / 2
    radius = np.hypot(x - middle[0], y - middle[1]) / np.hypot(*middle)
    # Even powers of the radius, as the models have: what lies beyond the corner goes on as they do.
    powers = np.arange(1, 5) * 2
    fit = np.linalg.lstsq(
        radius.ravel()[::7, None] ** powers, np.log2(np.maximum(gain[..., 1].ravel()[::7], 1e-3)), rcond=None
    )[0]
    return np.asarray(radii()[:, None] ** powers @ fit)
