"""Primaries: the red, green and blue that all colours are mixed of, turned and made purer or duller; white stays."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from pydantic import create_model

from crenn.core.colorimetry.spaces import D65_XY, SRGB_XY, XYZ_TO_REC2020, rgb_to_xyz_matrix
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

NAMES = ("red", "green", "blue")
#: Share of each primary that white has at least, by the chart, twice the least triangle, and steps on the way there.
_WITHIN, _FLAT, _WAYS = 0.03, 1e-4, 257


def _dials() -> dict[str, Any]:
    dials: dict[str, Any] = {}
    for name in NAMES:
        group = name.capitalize()
        turned = f"Turns the {name} primary round white: upwards as on the circle of hues."
        dials[f"{name}_hue"] = (
            float,
            dial(0.0, "°", -90, 90, 0.5, "Hue", turned, bend=Bend("add", -90, 90, 0.5), group=group),
        )
        dials[f"{name}_saturation"] = (
            float,
            dial(
                1.0,
                "×",
                0.2,
                2.5,
                0.01,
                "Saturation",
                f"How far the {name} primary is from white.",
                bend=Bend("factor", 0.2, 5.0, 0.01),
                group=group,
            ),
        )
    return dials


PrimariesParameters: Any = create_model("PrimariesParameters", __base__=StepParameters, **_dials())


def _uv(xy) -> np.ndarray:
    """CIE 1976 u', v' of chromaticities (..., 2) (CIE 15:2018)."""
    xy = np.asarray(xy, np.float64)
    return xy * (4, 9) / (-2 * xy[..., :1] + 12 * xy[..., 1:] + 3)


def _xy(uv: np.ndarray) -> np.ndarray:
    return uv * (9, 4) / (6 * uv[..., :1] - 16 * uv[..., 1:] + 12)


def primaries_matrix(degrees: np.ndarray, factors: np.ndarray) -> np.ndarray:
    """Matrix in Rec. 2020 that moves the primaries of sRGB, float64 (3, 3).

    Parameters
    ----------
    degrees : ndarray (3,)
        By which each is turned round white on the CIE 1976 chart, against the clock.
    factors : ndarray (3,)
        On its distance from white.

    Where white would come to lie beyond what the primaries enclose, colours would fold: they go as far towards that
    as leaves it well within.
    """
    ways = np.linspace(0, 1, _WAYS)
    uv = _moved(ways[:, None] * degrees, np.asarray(factors, np.float64) ** ways[:, None])
    folds = np.flatnonzero(~_encloses(uv))
    last = max(folds[0] - 1, 0) if folds.size else -1
    moved = rgb_to_xyz_matrix(_xy(uv[last]))
    return np.asarray(XYZ_TO_REC2020 @ moved @ np.linalg.inv(XYZ_TO_REC2020 @ rgb_to_xyz_matrix(SRGB_XY)))


def _moved(degrees: np.ndarray, factors: np.ndarray) -> np.ndarray:
    """The primaries of sRGB, turned and moved by (N, 3), u' and v' (N, 3, 2); see `primaries_matrix`."""
    white, corners = _uv(D65_XY), _uv(SRGB_XY)
    x, y = (corners - white).T
    cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turned = np.stack([x * cos - y * sin, x * sin + y * cos], -1)
    return np.asarray(white + turned * factors[..., None])


def _encloses(uv: np.ndarray) -> np.ndarray:
    """Whether white lies well within three primaries, u' and v' (N, 3, 2), by its shares of each, bool (N,).

    A triangle that goes round the other way than that of sRGB mirrors colours.
    """
    away = uv - _uv(D65_XY)
    following = np.roll(away, -1, axis=1)
    # Twice the area that two primaries span with white: the third one's share of all.
    areas = away[..., 0] * following[..., 1] - away[..., 1] * following[..., 0]
    whole = areas.sum(1)
    return np.asarray((areas.min(1) > _WITHIN * whole) & (whole > _FLAT))


class Primaries(LightStep[StepParameters]):
    """A matrix that keeps white."""

    name, station, title, parameters = "primaries", "colour", "Primaries", PrimariesParameters
    folded = True

    def act(self, program: Program, parameters: StepParameters, scene: SceneLight) -> None:
        program.matrix(self._matrix(parameters))

    def bend(self, program: Program, bends: Mapping[str, float], parameters: StepParameters, scene: SceneLight) -> None:
        other = self.bent(parameters, bends)
        if other != parameters:
            program.matrix(self._matrix(other) @ np.linalg.inv(self._matrix(parameters)))

    @staticmethod
    def _matrix(parameters: StepParameters) -> np.ndarray:
        degrees = np.array([getattr(parameters, f"{name}_hue") for name in NAMES])
        factors = np.array([getattr(parameters, f"{name}_saturation") for name in NAMES])
        return primaries_matrix(degrees, factors) if degrees.any() or (factors != 1).any() else np.eye(3)
