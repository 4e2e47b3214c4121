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


def _dials() -> dict[str, Any]:
    dials: dict[str, Any] = {}
    for name in NAMES:
        group = name.capitalize()
        turned = f"Turns the {name} primary round white: upwards as on the circle of hues."
        dials[f"{name}_hue"] = (
            float,
            dial(0.0, "°", -30, 30, 0.5, "Hue", turned, bend=Bend("add", -30, 30, 0.5), group=group),
        )
        dials[f"{name}_saturation"] = (
            float,
            dial(
                1.0,
                "×",
                0.5,
                1.5,
                0.01,
                "Saturation",
                f"How far the {name} primary is from white.",
                bend=Bend("factor", 0.5, 1.5, 0.01),
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
    """
    white, corners = _uv(D65_XY), _uv(SRGB_XY)
    away = corners - white
    cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turned = np.stack([away[:, 0] * cos - away[:, 1] * sin, away[:, 0] * sin + away[:, 1] * cos], 1)
    moved = rgb_to_xyz_matrix(_xy(white + turned * np.asarray(factors)[:, None]))
    return np.asarray(XYZ_TO_REC2020 @ moved @ np.linalg.inv(XYZ_TO_REC2020 @ rgb_to_xyz_matrix(SRGB_XY)))


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
