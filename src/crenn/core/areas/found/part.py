"""Parts of masks that are found in the picture: sky, ground, water, lamps and stars."""

from typing import Literal

import cv2
import numpy as np
from pydantic import Field

from crenn.core.areas.appearance import appearance_features
from crenn.core.areas.found.regions import UNDER
from crenn.core.areas.found.trimap import TrimapModel, matte_alpha
from crenn.core.areas.part import Kind, Part, Scenery
from crenn.core.colorimetry.circle import eased
from crenn.core.colorimetry.spaces import luminance
from crenn.core.noise.stars import star_shares

#: Deviation by which noise is evened out before pixels tell, in full-size pixels, and by how much that lessens it.
_BLUR, _LESS = 0.7, 0.5
#: A lamp fades to nothing at so many radii, or where its glare ends.
_GLOW = 2.0
#: A star is narrower than this, in pixels; one that has so much of a pixel's light, its inverse, has all of it.
_STAR, _MOSTLY = 7, 1.4


class Found(Part):
    """What is found in the picture by itself; in another scene it is found anew."""

    kind: Literal["found"] = "found"
    what: Kind = Field(description="sky, ground (all but the sky), water, lamps, stars, or what stands out")

    def share(self, scenery: Scenery) -> np.ndarray:
        if self.what == "sky":
            return _told(scenery, scenery.apart("sky"))
        if self.what == "ground":
            return 1 - _told(scenery, scenery.apart("sky"))
        if self.what == "water":
            return _told(scenery, scenery.apart("water"))
        if self.what == "subject":
            return scenery.sampled(scenery.apart("subject").sure)
        return _lamps(scenery) if self.what == "lamps" else _stars(scenery)


def _told(scenery: Scenery, apart: TrimapModel) -> np.ndarray:
    """How far pixels belong to what was found, float32 (h, w)."""
    sure = scenery.sampled(apart.sure)
    rows, columns = np.nonzero((sure > 0) & (sure < 1))
    if not rows.size:
        return sure
    told = appearance_features(scenery.light(_BLUR)[rows, columns][None], scenery.floor * UNDER)[0]
    deviation = np.asarray(scenery.noise(told[..., 0]) * _LESS, np.float32)
    inside, outside = (scenery.sampled_at(plane, rows, columns) for plane in (apart.inside, apart.outside))
    sure[rows, columns] = matte_alpha(told, sure[rows, columns], inside, outside, deviation)
    return sure


def _lamps(scenery: Scenery) -> np.ndarray:
    """The lamps of the scene with their glow, float32 (h, w)."""
    x, y = scenery.places()
    out = np.zeros(x.shape, np.float32)
    for lamp in scenery.lamps:
        ends = max(lamp.glare, _GLOW * lamp.radius)
        rows, columns = _near(x, y, lamp.x, lamp.y, ends)
        if rows.stop > rows.start and columns.stop > columns.start:
            away = np.hypot(x[rows, columns] - lamp.x, y[rows, columns] - lamp.y)
            own = eased((ends - away) / (ends - lamp.radius))
            out[rows, columns] = np.maximum(out[rows, columns], own)
    return out


def _near(x: np.ndarray, y: np.ndarray, at_x: float, at_y: float, reach: float) -> tuple[slice, slice]:
    """Rows and columns within which all places lie that are so near to one."""
    near = (np.abs(x - at_x) <= reach) & (np.abs(y - at_y) <= reach)
    rows, columns = np.flatnonzero(near.any(1)), np.flatnonzero(near.any(0))
    if not rows.size:
        return slice(0, 0), slice(0, 0)
    return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)


def _stars(scenery: Scenery) -> np.ndarray:
    """Points of light in the sky, float32 (h, w); where there is no sky, none."""
    sky = _told(scenery, scenery.apart("sky"))
    if not sky.any():
        return sky
    light = np.maximum(luminance(scenery.light()), 0)
    deviation = light * np.asarray(scenery.noise(np.log2(np.maximum(light, scenery.floor))), np.float32)
    shares = star_shares(light, deviation * np.float32(np.log(2)))
    # As far as a pixel's light is a star's: around it in a reduced view there is next to none of it.
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_STAR, _STAR))
    own = (light - cv2.morphologyEx(light, cv2.MORPH_OPEN, disc)) / np.maximum(light, np.float32(scenery.floor))
    return np.asarray(sky * shares * np.clip(_MOSTLY * own, 0, 1), np.float32)
