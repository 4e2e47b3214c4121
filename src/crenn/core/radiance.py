"""The radiance map of a scene, and its OpenEXR file."""

import json
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import OpenEXR

from crenn.core.colorimetry.spaces import D65_XY, REC2020_CHROMATICITIES, XYZ_TO_REC2020, rgb_to_xyz_matrix
from crenn.core.errors import CrennError
from crenn.core.files import replacing
from crenn.core.frames.sizes import check_size
from crenn.core.report.merging import MergeReport

#: Maps of whole numbers that go with the light.
PLANES = ("source", "clipped", "moved", "ground")
#: Light beyond this is no light of a scene.
_BRIGHTEST = np.float32(1e6)
_SIGMA = ("sigma.R", "sigma.G", "sigma.B")


@dataclass
class RadianceMap:
    """Merged light of a scene.

    Attributes
    ----------
    rgb : ndarray, float32 (H, W, 3)
        Scene-linear Rec. 2020, white-balanced as the reference frame was shot; 1.0 is the reference frame's
        raw saturation in green.
    sigma : ndarray, float32 (H, W, 3) or None
        Predicted standard deviation of ``rgb``.
    source : ndarray, uint8 (H, W) or None
        Index of the frame that contributes most.
    clipped : ndarray, uint8 (H, W) or None
        Bits 1, 2, 4: red, green, blue clipped in every frame.
    moved : ndarray, uint8 (H, W) or None
        0 where nothing moved, else 1 + the index of the frame that the place comes from.
    ground : ndarray, uint8 (H, W) or None
        255 on the ground, 0 in the sky, where a stack registered the two apart.
    report : dict
        The merge report (see `crenn.core.report.merging`).
    """

    rgb: np.ndarray
    sigma: np.ndarray | None = None
    source: np.ndarray | None = None
    clipped: np.ndarray | None = None
    moved: np.ndarray | None = None
    ground: np.ndarray | None = None
    report: dict = field(default_factory=dict)

    @property
    def shape(self) -> tuple[int, int]:
        return self.rgb.shape[:2]


def write_exr(path: Path, rgb: np.ndarray, radiance: RadianceMap | None = None) -> None:
    """Write scene-linear Rec. 2020 as OpenEXR, float; with the map's further channels if one is given.

    Parameters
    ----------
    path : Path
    rgb : ndarray, float32 (H, W, 3)
    radiance : RadianceMap, optional
        Its sigma, source, clip state and report are written too.
    """
    channels = {"RGB": np.ascontiguousarray(rgb, np.float32)}
    header = {
        "compression": OpenEXR.NO_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": REC2020_CHROMATICITIES,
    }
    if radiance is not None:
        if radiance.sigma is not None:
            for i, name in enumerate(_SIGMA):
                channels[name] = np.ascontiguousarray(radiance.sigma[..., i], np.float32)
        for name in PLANES:
            if getattr(radiance, name) is not None:
                channels[name] = getattr(radiance, name).astype(np.float32)
        if radiance.report:
            header["crennReport"] = json.dumps(radiance.report)
    with replacing(path) as temporary, OpenEXR.File(header, channels) as file:
        file.write(str(temporary))


def read_exr(path: Path) -> RadianceMap:
    """Read a radiance map from OpenEXR.

    Files of other primaries are brought to Rec. 2020 by their ``chromaticities`` (Rec. 709 if they have none,
    as the format says).

    Raises
    ------
    CrennError
        If the file is missing, broken, too large for this machine or has no R, G and B.
    """
    if not Path(path).is_file():
        raise CrennError("does not exist.", path, "Merge the frames first.")
    try:
        with OpenEXR.File(str(path), header_only=True) as file:
            low, high = file.header()["dataWindow"]
        check_size(path, "exr", *(int(high[i] - low[i] + 1) for i in (0, 1)))
        with OpenEXR.File(str(path), separate_channels=True) as file:
            header = dict(file.header())
            pixels = {name: channel.pixels for name, channel in file.channels().items()}
    except CrennError:
        raise
    except Exception as fault:
        raise CrennError("is no OpenEXR file, or is damaged.", path, "Merge the frames again.") from fault
    missing = [name for name in "RGB" if name not in pixels]
    if missing:
        raise CrennError(f"has no channel {missing[0]}.", path, "A merged picture has R, G and B.")
    rgb = np.stack([pixels[name].astype(np.float32) for name in "RGB"], -1)
    primaries = header.get("chromaticities") or (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, *D65_XY)
    if not np.allclose(primaries, REC2020_CHROMATICITIES, atol=1e-3):
        p = [float(v) for v in primaries]
        # Three points of the diagram that enclose some colours, and a white that has light.
        enclosed = (p[2] - p[0]) * (p[5] - p[1]) - (p[4] - p[0]) * (p[3] - p[1])
        if not np.isfinite(p).all() or abs(enclosed) < 1e-4 or p[7] <= 0:
            raise CrennError("has primaries that cannot be.", path, "Write it with chromaticities that are numbers.")
        matrix = XYZ_TO_REC2020 @ rgb_to_xyz_matrix(((p[0], p[1]), (p[2], p[3]), (p[4], p[5])), (p[6], p[7]))
        rgb = rgb @ matrix.T.astype(np.float32)
    sigma = None
    if all(n in pixels for n in _SIGMA):
        sigma = _usable(np.stack([pixels[n].astype(np.float32) for n in _SIGMA], -1))
    plane = {n: np.clip(np.nan_to_num(pixels[n]), 0, 255).astype(np.uint8) if n in pixels else None for n in PLANES}
    return RadianceMap(_usable(rgb), sigma, **plane, report=_checked_report(header.get("crennReport")))


def _usable(light: np.ndarray) -> np.ndarray:
    """Light without what is no number, held to what single precision can multiply, in place."""
    np.nan_to_num(light, copy=False, nan=0.0, posinf=float(_BRIGHTEST), neginf=0.0)
    return np.clip(light, -_BRIGHTEST, _BRIGHTEST, out=light)


def _checked_report(text) -> dict:
    """The merge report that a file carries; nothing if it has none, or one that cannot be."""
    try:
        return MergeReport.model_validate_json(text).model_dump()
    except (TypeError, ValueError):
        return {}
