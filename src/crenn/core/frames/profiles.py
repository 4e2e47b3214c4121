"""What an ICC profile of a developed picture says of its colours and its curve (ICC.1:2010)."""

import io
import struct
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PIL import ImageCms

from crenn.core.colorimetry.spaces import D65_XY, SRGB_XY, adaptation_matrix, rgb_to_xyz_matrix, xy_to_xyz

_D50 = np.array([0.9642, 1.0, 0.8249])
#: Numbers of a parametric curve, by its kind.
_PARAMETERS = (1, 3, 4, 5, 7)
#: Longest table that a curve may have.
_LONGEST = 65536
#: Powers that a curve may have.
_LEAST, _MOST = 0.2, 10.0

Curve = Callable[[np.ndarray], np.ndarray]


@dataclass(frozen=True)
class Profile:
    """A matrix profile.

    Attributes
    ----------
    matrix : ndarray, float64 (3, 3)
        From its linear light to XYZ under D65.
    name : str or None
        What it calls itself; None if there is none, and sRGB is taken.
    curve : callable or None
        From codes, 0 to 1, to light; None if it is not told.
    straight : bool
        Whether its codes are light.
    """

    matrix: np.ndarray
    name: str | None = None
    curve: Curve | None = None
    straight: bool = False


def profile_of(data: bytes | None) -> Profile:
    """Read a profile; sRGB where there is none, or none that can be read."""
    plain = rgb_to_xyz_matrix(SRGB_XY)
    if not data:
        return Profile(plain)
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(data)).profile
        colorants = (profile.red_colorant, profile.green_colorant, profile.blue_colorant)
        columns = [c[0] for c in colorants if c is not None]
        matrix = adaptation_matrix(_D50, xy_to_xyz(*D65_XY)) @ np.array(columns).T
        name = (profile.profile_description or "a profile").strip()
    except Exception:
        return Profile(plain, "a profile that could not be read")
    try:
        curve, straight = _curve(data)
    except (ValueError, IndexError, struct.error):
        curve, straight = None, False
    return Profile(matrix, name, curve, straight)


def _curve(data: bytes) -> tuple[Curve | None, bool]:
    """The curve of green, which stands for all three, and whether it is a straight line."""
    count = struct.unpack(">I", data[128:132])[0]
    at = next(
        (
            offset
            for tag, offset, _ in struct.iter_unpack(">4sII", data[132 : 132 + 12 * min(count, 100)])
            if tag == b"gTRC"
        ),
        None,
    )
    if at is None:
        return None, False
    kind = data[at : at + 4]
    if kind == b"curv":
        length = struct.unpack(">I", data[at + 8 : at + 12])[0]
        if length == 0:
            return None, True
        if length > _LONGEST:
            raise ValueError(f"a curve of {length} numbers")
        numbers = np.array(struct.unpack(f">{length}H", data[at + 12 : at + 12 + 2 * length]), np.float64)
        if length == 1:
            return _checked(_power(float(numbers[0]) / 256))
        places = np.linspace(0, 1, length)
        return _checked(lambda codes: np.interp(codes, places, numbers / 65535))
    if kind == b"para":
        form = struct.unpack(">H", data[at + 8 : at + 10])[0]
        values = struct.unpack(f">{_PARAMETERS[form]}i", data[at + 12 : at + 12 + 4 * _PARAMETERS[form]])
        return _checked(_parametric(form, [v / 65536 for v in values]))
    return None, False


def _power(gamma: float) -> Curve:
    if not _LEAST < gamma < _MOST:
        raise ValueError(f"a power of {gamma}")
    return lambda codes: np.power(codes, gamma)


def _parametric(form: int, values: list[float]) -> Curve:
    """One of the five forms of table 65: a power of a line, and below some code a line of its own."""
    g, a, b, c, d, e, f = values[0], 1.0, 0.0, 0.0, 0.0, 0.0, 0.0
    if not _LEAST < g < _MOST:
        raise ValueError(f"a power of {g}")
    if form in (1, 2):
        _, a, b, *rest = values
        # Below -b / a there is nothing but the constant.
        d, e = -b / a if a else 0.0, rest[0] if rest else 0.0
        f = e
    elif form == 3:
        _, a, b, c, d = values
    elif form == 4:
        _, a, b, c, d, e, f = values
    return lambda codes: np.where(codes >= d, np.power(np.maximum(a * codes + b, 0), g) + e, c * codes + f)


def _checked(curve: Curve) -> tuple[Curve, bool]:
    """A curve that rises from about nothing to about one, or a `ValueError`; and whether it is a straight line."""
    x = np.linspace(0, 1, 257)
    y = curve(x)
    if not np.isfinite(y).all() or (np.diff(y) < -1e-6).any() or abs(y[0]) > 0.1 or not 0.8 < y[-1] < 1.25:
        raise ValueError("a curve that does not rise from nothing to all")
    return curve, bool(np.abs(y - x).max() < 1e-3)
