"""The light of a scene as the steps need to know it."""

from dataclasses import dataclass, field
from functools import cached_property

import numba as nb
import numpy as np

from crenn.core.colorimetry.hue_saturation import HueSaturationMap
from crenn.core.colorimetry.spaces import D65_XY
from crenn.core.colorimetry.white import temperature_of
from crenn.core.pipeline.fringes import Fringes

#: Stops at which noise is tabled: whole pictures ask for it.
_PER_STOP = 64
#: Share of the noise that is reckoned with once light has been cleaned.
LEFT = 0.2
#: Light whose signal to noise is less than this, in dB, has no say in what the scene's light suggests, if more than a
#: small share of the picture has more.
_DROWNED, _FEW = 0.0, 0.01
#: In cd/m², the bulk of a scene lit by less has no lamps in it: a sky under a full moon has some hundredths.
_STARLIGHT = 0.01
_STOPS = np.arange(-40.0, 24.0, 1 / _PER_STOP)
_FIRST = np.float32(_STOPS[0])


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _read(stops, table, out):
    """A table over `_STOPS` at the nearest of them; stops may be endless, and what is no number is the first."""
    for block in nb.prange((stops.size + 8191) // 8192):
        for i in range(block * 8192, min((block + 1) * 8192, stops.size)):
            place = (stops[i] - _FIRST) * np.float32(_PER_STOP) + np.float32(0.5)
            out[i] = table[int(min(place, np.float32(table.size - 1)))] if place > 0 else table[0]


@dataclass(frozen=True, eq=False)
class Capture:
    """What the reference frame tells of camera and lens.

    Attributes
    ----------
    make, model, lens : str
        Empty where it is not told.
    focal_length, aperture, seconds, iso : float or None
        mm, f-number, s, and the ISO speed.
    to_camera : ndarray, float64 (3, 3)
        From the light's colours to those of the camera's sensor.
    fringes : Fringes or None
        Lateral colour that the merge has taken back already.
    part : tuple of float
        x, y, width and height of the scene within what the lens threw on the sensor, in shares of the latter: a merge
        keeps what all frames cover.
    mosaic : str or None
        Colours of the upper left two by two pixels, row by row, where colour was rebuilt from a mosaic: "RGGB".
    scale : float or None
        Of the compressive scale on which colour was rebuilt; see `crenn.core.mosaic.demosaic.compressed`.
    developed : bool
        Whether the frames were developed pictures, and not raw.
    finished : bool
        Whether the scene is one picture that somebody finished, whose tones are as they were wanted.
    filter_stops : float
        What a filter before the lens took, in stops.
    day : bool or None
        Whether it was day; None where nobody has said.
    crop : float or None
        How many times smaller the sensor is than 36 by 24 mm.
    profile : tuple of HueSaturationMap
        Tables of hues that the file brought along, in the order in which they act.
    """

    make: str = ""
    model: str = ""
    lens: str = ""
    focal_length: float | None = None
    aperture: float | None = None
    seconds: float | None = None
    iso: float | None = None
    to_camera: np.ndarray = field(default_factory=lambda: np.eye(3))
    fringes: Fringes | None = None
    part: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    mosaic: str | None = None
    developed: bool = False
    scale: float | None = None
    finished: bool = False
    filter_stops: float = 0.0
    day: bool | None = None
    crop: float | None = None
    profile: tuple[HueSaturationMap, ...] = ()

    @classmethod
    def from_report(cls, report: dict) -> "Capture":
        """From a merge report, as far as it tells."""
        told = dict(report.get("capture") or {})
        if told.get("to_camera") is not None:
            told["to_camera"] = np.array(told["to_camera"], np.float64).reshape(3, 3)
        told["profile"] = tuple(map(HueSaturationMap.from_text, told.get("profile") or ()))
        if (fringes := told.pop("fringes", None)) is not None:
            told["fringes"] = Fringes(tuple(fringes["red"]), tuple(fringes["blue"]))
        return cls(**{name: value for name, value in told.items() if value is not None})

    @cached_property
    def balanced(self) -> np.ndarray:
        """From the light's colours to the camera's with white at 1, float64 (3, 3)."""
        return np.asarray(self.to_camera / self.to_camera.sum(1, keepdims=True))

    @property
    def saturation(self) -> float | None:
        """Luminance in cd/m² of what just saturates the reference frame, stop 0; None where the frame does not tell.

        The saturation-based speed *S* means a focal plane exposure of 78 / *S* lx s; of a luminance *L* a camera gets
        0.65 *L t / N²* (ISO 12232:2019, annex C: a usual lens, far away, a little off the middle); a filter takes
        of it what it does.
        """
        if not self.aperture or not self.seconds or not self.iso:
            return None
        return 78.0 / 0.65 * self.aperture**2 / (self.seconds * self.iso) * 2.0**self.filter_stops

    def middle(self, size: tuple[int, int]) -> tuple[np.ndarray, float]:
        """Where the lens's middle lies in a scene of size (H, W), and half its picture's diagonal, both in pixels."""
        x, y, width, height = self.part
        whole = np.array([size[1] / width, size[0] / height])
        return whole * (0.5 - x, 0.5 - y), float(np.hypot(*whole)) / 2


@dataclass(frozen=True)
class Lamp:
    """A lamp of the scene: see `crenn.core.report.lamps.find_lamps`, in shares of the scene's longer side."""

    x: float
    y: float
    radius: float
    glare: float
    stop: float


@dataclass(frozen=True, eq=False)
class CameraShown:
    """How the camera's own picture of the reference frame shows the scene.

    Attributes
    ----------
    stops, lightness, shares, deep : ndarray, float64 (N,)
        Stops of the scene, rising, the L* that they have in it, shares of the picture, and EV by which they count for
        more than their luminance, as their colours are deep.
    mean : float
        Mean L* of it.
    brightest : float
        Light of the strongest colour that a tenth of it exceeds, of 1.
    saturation : float or None
        Of its colours, over that of the scene's as bright; None where there are hardly any.
    colours : ndarray, float64 (M, 5)
        Of colours of the scene, the opponent axes of Oklab over its lightness, those that they have in it, and shares.
    single : bool
        Whether the scene is of that frame alone.
    """

    stops: np.ndarray
    lightness: np.ndarray
    shares: np.ndarray
    deep: np.ndarray
    mean: float
    brightest: float
    saturation: float | None
    colours: np.ndarray
    single: bool

    @classmethod
    def from_report(cls, report: dict) -> "CameraShown | None":
        """From a merge report; None where it does not tell."""
        found = report.get("camera")
        if not found or not found["tones"]:
            return None
        columns = ([float(tone[name]) for tone in found["tones"]] for name in ("stop", "lightness", "share", "deep"))
        stops, shown, shares, deep = (np.array(column) for column in columns)
        colours = np.array([[*c["own"], *c["shown"], c["share"]] for c in found.get("colours") or ()], np.float64)
        single = report.get("mode") == "single"
        rest = found["lightness"], found["brightest"], found["saturation"], colours.reshape(-1, 5), single
        return cls(stops, shown, shares, deep, *rest)


@dataclass(frozen=True, eq=False)
class SceneLight:
    """The light of a scene as the steps need to know it.

    Attributes
    ----------
    histogram : ndarray (N,)
        Share of the picture per bin of luminance.
    start, bin : float
        Stop of the first bin's lower edge and width of a bin.
    noise_horizon : float
        Stop below which noise rules.
    as_shot : tuple of float
        Temperature in kelvin and tint in thousandths of Duv of the white balance as shot.
    capture : Capture
    lamp_histogram : ndarray (N,)
        Share of the picture per bin that lamps take; automatic values are looked for in the rest.
    lamps : tuple of Lamp
        The brightest first.
    snr_db : ndarray (N,)
        Median signal to noise of single pixels in each bin, in dB; NaN where it is not known.
    blur : float or None
        Deviation by which the sharpest edges are blurred, in full-size pixels; None where it could not be measured.
    coloured_ev : float
        EV by which the bulk looks brighter than grey light of its luminance.
    deep_ev : float
        EV by which the brightest light is shown as brighter than its luminance, as its colour is deep.
    subject : float or None
        Stop of the brightest light of a bright subject before nothing; None where there is none.
    camera : CameraShown or None
        How the camera showed it; None where that is not known.
    on_stars : bool
        Whether its frames were laid on stars.
    """

    histogram: np.ndarray
    start: float
    bin: float
    noise_horizon: float
    as_shot: tuple[float, float]
    capture: Capture = field(default_factory=Capture)
    lamp_histogram: np.ndarray = field(default_factory=lambda: np.zeros(1))
    lamps: tuple[Lamp, ...] = ()
    snr_db: np.ndarray = field(default_factory=lambda: np.full(1, np.nan))
    blur: float | None = None
    coloured_ev: float = 0.0
    deep_ev: float = 0.0
    subject: float | None = None
    camera: CameraShown | None = None
    on_stars: bool = False

    @classmethod
    def from_report(cls, report: dict) -> "SceneLight":
        """From a merge report."""
        as_shot = report.get("as_shot") or temperature_of(*D65_XY)
        return cls(
            np.asarray(report["histogram"], np.float64),
            float(report["histogram_start"]),
            float(report["histogram_bin"]),
            float(report["noise_horizon"]),
            tuple(as_shot),
            Capture.from_report(report),
            np.asarray(report.get("lamp_histogram") or [0.0], np.float64),
            tuple(Lamp(**{name: float(v) for name, v in lamp.items()}) for lamp in report.get("lamps") or ()),
            np.array([np.nan if v is None else v for v in report.get("snr_db") or [None]], np.float64),
            report.get("blur"),
            float(report.get("coloured_ev") or 0.0),
            float(report.get("deep_ev") or 0.0),
            report.get("subject"),
            CameraShown.from_report(report),
            bool((report.get("stack") or {}).get("sky")),
        )

    @property
    def noise_known(self) -> bool:
        """Whether the noise is known at any stop."""
        return bool(np.isfinite(self.snr_db).any())

    def noise_ev(self, stops: np.ndarray) -> np.ndarray:
        """Deviation of single pixels in EV at stops of any shape, float32; nothing where it is not known."""
        asked = np.ascontiguousarray(stops, np.float32)
        out = np.empty_like(asked)
        _read(asked.ravel(), self._noise_by_stop, out.ravel())
        return out

    def noise_left(self, stops: np.ndarray, cleaned: bool) -> np.ndarray:
        """`noise_ev` in proportion to light, of light that noise has been taken out of or not; float32."""
        return self.noise_ev(stops) * np.float32(np.log(2) * (LEFT if cleaned else 1.0))

    @cached_property
    def _noise_by_stop(self) -> np.ndarray:
        """`noise_ev` at `_STOPS`."""
        known = np.flatnonzero(np.isfinite(self.snr_db))
        if known.size == 0:
            return np.zeros(_STOPS.size, np.float32)
        centres = self.start + self.bin * (known + 0.5)
        snr = np.interp(_STOPS, centres, self.snr_db[known])
        return np.asarray(np.log2(np.e) * 10 ** (-snr / 20), np.float32)

    @cached_property
    def unlit(self) -> np.ndarray:
        """Share of the picture per bin of luminance, lamps and what is noise alone left out, float64 (N,)."""
        out = np.maximum(self.histogram - self.lamp_histogram, 0.0)
        drowned = np.flatnonzero(self.snr_db < _DROWNED)
        if drowned.size and drowned.max() + 1 < out.size and out[drowned.max() + 1 :].sum() > _FEW:
            out[: drowned.max() + 1] = 0.0
        return out

    @cached_property
    def seen(self) -> float:
        """Share of the picture that is more than noise, lamps left out."""
        unlit = np.maximum(self.histogram - self.lamp_histogram, 0.0).sum()
        return float(self.unlit.sum() / unlit) if unlit > 0 else 1.0

    @cached_property
    def starry(self) -> bool:
        """Whether points of light in it are stars: frames were laid on them, or it is too dark for lamps."""
        return self.on_stars or (self.luminance is not None and self.luminance < _STARLIGHT)

    @cached_property
    def luminance(self) -> float | None:
        """Luminance in cd/m² of the bulk of the scene; None where it is not known."""
        saturation = self.capture.saturation
        return None if saturation is None else saturation * 2.0 ** self.bulk()

    def quantile(self, share: float) -> float:
        """Stop below which a share of the picture lies, lamps and what is noise alone left out."""
        total = np.concatenate([[0.0], np.cumsum(self.unlit)])
        edges = self.start + self.bin * np.arange(total.size)
        return float(np.interp(share * total[-1], total, edges))

    def bulk(self) -> float:
        """Mean stop of the middle nine tenths, lamps and what is noise alone left out."""
        centres = self.start + self.bin * (np.arange(self.histogram.size) + 0.5)
        low, high = self.quantile(0.05), self.quantile(0.95)
        inside = (centres >= low) & (centres <= high)
        weight = self.unlit * inside
        return float((weight * centres).sum() / weight.sum()) if weight.sum() > 0 else self.quantile(0.5)
