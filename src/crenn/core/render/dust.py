"""Dust of a scene: found on its light, and seen in a view of its own."""

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from crenn.core.areas.brush import GRID
from crenn.core.basis import PlaceMap
from crenn.core.colorimetry.stops import stops_of
from crenn.core.mend.dust import CLEAR, FAINT, REACH, SIDE, Dust, agreed, find_dust
from crenn.core.mend.patch import Patch
from crenn.core.render.source import Source, reduced_to

#: Patches at most, and spots that are looked at at most.
_MOST, _LOOKED_AT = 200, 400
#: The view shows what departs from its surroundings, of so wide a blur in shares of the picture's longer side, by so
#: many codes an EV.
_WIDE, _CODES = 0.012, 420.0


def dust_patches(source: Source, others: Sequence[tuple[Source, PlaceMap]] = ()) -> list[Patch]:
    """Patches for what is likely dust in a scene, the clearest first.

    Parameters
    ----------
    source : Source
    others : sequence of (Source, PlaceMap)
        Other scenes that were recorded by the same sensor, each with where its places lie on this one: what is dust is
        there in all of them.
    """
    spots = _spots(source, FAINT if others else CLEAR)
    if others:
        spots = agreed(spots, [_moved(_spots(other, FAINT), by) for other, by in others])
    return [
        Patch(points=[round(spot.x * GRID), round(spot.y * GRID)], radius=spot.radius * REACH, softness=30.0)
        for spot in spots[:_MOST]
    ]


def _spots(source: Source, least: float) -> list[Dust]:
    return find_dust(reduced_to(source, SIDE), source.floor, _LOOKED_AT, least)


def _moved(spots: list[Dust], by: PlaceMap) -> list[Dust]:
    out = []
    for spot in spots:
        x, y = by.place([spot.x, spot.y])
        out.append(replace(spot, x=x, y=y, radius=spot.radius * by.scale([spot.x, spot.y])))
    return out


def draw_dust(codes: np.ndarray, light: np.ndarray, floor: float) -> None:
    """Draw how light, float32 (h, w, 3), departs from its surroundings over a picture, in place, as grey."""
    stops = stops_of(light, max(floor, 1e-9))
    even = cv2.GaussianBlur(stops, (0, 0), max(_WIDE * max(stops.shape), 1.0))
    codes[:] = np.clip(128 + _CODES * (stops - even), 0, 255).astype(np.uint8)[..., None]
