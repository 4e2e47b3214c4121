"""Where a frame was taken, as receivers in cameras note it (Exif 2.32, GPS attributes)."""

from dataclasses import dataclass
from math import isfinite
from typing import Any

#: Metres above and below the sea that are believed.
_HIGHEST, _DEEPEST = 20_000.0, -500.0


@dataclass(frozen=True)
class Position:
    """A place on the Earth (WGS 84): degrees north and east, and metres above the sea, None where unknown.

    Raises
    ------
    ValueError
        If there is no such place.
    """

    latitude: float
    longitude: float
    altitude: float | None = None

    def __post_init__(self) -> None:
        if not (abs(self.latitude) <= 90 and abs(self.longitude) <= 180):
            raise ValueError(f"no place: {self.latitude}, {self.longitude}")

    @classmethod
    def of(cls, tags: dict[str, Any]) -> "Position | None":
        """From the tags of a file as `exifread` names them; None where they tell none, or none that can be."""
        try:
            latitude, longitude = (
                _degrees(tags[f"GPS GPS{name}"].values) * (-1 if str(tags[f"GPS GPS{name}Ref"])[:1] in "SW" else 1)
                for name in ("Latitude", "Longitude")
            )
            # A receiver that found nothing yet writes zeros.
            return cls(latitude, longitude, _altitude(tags)) if (latitude, longitude) != (0.0, 0.0) else None
        except (KeyError, TypeError, ValueError, ZeroDivisionError, IndexError, AttributeError):
            return None

    def exif(self) -> dict[int, Any]:
        """As tags of a GPS directory."""
        out: dict[int, Any] = {0: b"\2\3\0\0"}
        for tag, value, signs in ((1, self.latitude, "NS"), (3, self.longitude, "EW")):
            out[tag] = signs[value < 0]
            out[tag + 1] = _in_parts(abs(value))
        if self.altitude is not None:
            out |= {5: bytes([self.altitude < 0]), 6: round(abs(self.altitude), 2)}
        return out

    def xmp(self) -> str:
        """As properties of the Exif schema (ISO 16684-1 and Exif for XMP): degrees, and minutes with decimals."""

        def coordinate(value: float, signs: str) -> str:
            minutes = round(abs(value) * 60, 6)
            return f"{int(minutes // 60)},{minutes % 60:.6f}{signs[value < 0]}"

        told = {
            "GPSLatitude": coordinate(self.latitude, "NS"),
            "GPSLongitude": coordinate(self.longitude, "EW"),
        }
        if self.altitude is not None:
            told |= {
                "GPSAltitudeRef": str(int(self.altitude < 0)),
                "GPSAltitude": f"{abs(self.altitude) * 100:.0f}/100",
            }
        return "".join(f"<exif:{name}>{value}</exif:{name}>" for name, value in told.items())


def _degrees(parts: Any) -> float:
    return sum(float(part) / 60**n for n, part in zip(range(3), parts, strict=False))


def _altitude(tags: dict[str, Any]) -> float | None:
    told = tags.get("GPS GPSAltitude")
    if told is None:
        return None
    below = tags.get("GPS GPSAltitudeRef")
    value = float(told.values[0]) * (-1 if below is not None and below.values[0] == 1 else 1)
    return value if isfinite(value) and _DEEPEST <= value <= _HIGHEST else None


def _in_parts(degrees: float) -> tuple[float, float, float]:
    """Degrees, minutes and seconds, to a hundredth of a second of arc: 30 cm."""
    hundredths = round(degrees * 360_000)
    return float(hundredths // 360_000), float(hundredths // 6000 % 60), hundredths % 6000 / 100
