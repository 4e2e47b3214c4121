"""Oklab, the evenly spaced space in which colours are worked on (Ottosson 2020).

Its cone responses go through a cube root, so light of any level has the same hue, and the same chroma in proportion to
its lightness: what is done to a colour here does not depend on how bright it is, and holds above white as well.
"""

import numpy as np

from crenn.core.colorimetry.spaces import REC2020_TO_SRGB

_SRGB_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
#: Rec. 2020 light to cone responses, and back; white has responses of 1.
REC2020_TO_LMS = _SRGB_TO_LMS @ REC2020_TO_SRGB
REC2020_TO_LMS /= REC2020_TO_LMS.sum(1, keepdims=True)
LMS_TO_REC2020 = np.linalg.inv(REC2020_TO_LMS)
#: Roots of cone responses to lightness and the two opponent axes; their rows add up to 1, 0 and 0.
ROOTS_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
ROOTS_TO_LAB[0] /= ROOTS_TO_LAB[0].sum()
ROOTS_TO_LAB[1:] -= ROOTS_TO_LAB[1:].sum(1, keepdims=True) / 3
LAB_TO_ROOTS = np.linalg.inv(ROOTS_TO_LAB)


def to_oklab(rgb: np.ndarray) -> np.ndarray:
    """Oklab of linear Rec. 2020, (..., 3) to (..., 3): lightness, 1 for white, and the opponent axes a and b.

    Of float32 it is float32, and worked out as such.
    """
    rgb = np.asarray(rgb)
    kind = np.float32 if rgb.dtype == np.float32 else np.float64
    return np.asarray(np.cbrt(rgb @ REC2020_TO_LMS.T.astype(kind)) @ ROOTS_TO_LAB.T.astype(kind))


def from_oklab(lab: np.ndarray) -> np.ndarray:
    """Linear Rec. 2020 of Oklab, (..., 3) to (..., 3)."""
    return np.asarray((np.asarray(lab) @ LAB_TO_ROOTS.T) ** 3 @ LMS_TO_REC2020.T)


def hue_of(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Hue angle in degrees, 0 to 360, of opponent axes."""
    angle = np.degrees(np.arctan2(b, a))
    return np.asarray(np.where(angle < 0, angle + 360.0, angle))


def apart(one: np.ndarray | float, other: np.ndarray | float) -> np.ndarray:
    """By how many degrees a hue lies beyond another, −180 to 180."""
    beyond = np.asarray(one) - other
    return np.asarray(beyond - 360.0 * np.round(beyond / 360.0))


def hue_and_saturation(rgb: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Hue in degrees and saturation of linear Rec. 2020, (..., 3) to (...) twice.

    Saturation is chroma in proportion to lightness; it does not change with exposure. What gives no light has none.
    """
    lab = to_oklab(rgb)
    light = np.maximum(lab[..., 0], 1e-6)
    return hue_of(lab[..., 1], lab[..., 2]), np.hypot(lab[..., 1], lab[..., 2]) / light
