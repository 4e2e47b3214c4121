"""What keeps a real camera from being an ideal one: uneven sites, drifting black, lossy coding, glare, dust, shake.

Each is drawn from the sensor's serial or the frame's seed, so that a camera has the same dust and the same bad sites in
all of its frames, and the truth of each is known (`Flaws.truth`).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import cv2
import numpy as np

#: The names of flaws, as `Flaws` has them.
FlawName = Literal[
    "telegraph",
    "weak",
    "uneven",
    "drift",
    "glow",
    "coding",
    "glare",
    "coma",
    "flicker",
    "dust",
    "shake",
    "aircraft",
]
FLAWS: tuple[FlawName, ...] = get_args(FlawName)
#: Flaws are at most so strong.
STRONGEST = 5.0
#: Share of sites that jump between two levels, and the mean of the jump in electrons (random telegraph signal).
_JUMPING, _JUMP = 1e-3, 15.0
#: Shares of sites that answer too little, and not at all.
_WEAK, _DEAD = 5e-5, 1e-5
#: Deviation of the sites' gain, and of their offset in electrons.
_GAIN, _OFFSET = 0.006, 1.0
#: Deviation of a row's black in electrons, over how many rows it drifts, and that of a whole frame.
_DRIFT, _SLOWLY, _FRAME = 0.8, 300, 0.5
#: Electrons a second in the corner that the readout warms, and how far it reaches, as a share of the width.
_GLOW, _GLOWS_OVER = 0.25, 0.12
#: Lossy coding steps by this share of the photon noise.
_STEP = 0.5
#: Shares of light that the lens scatters over everything, and around; deviation of the latter, as a share of the width;
#: and that of its ghost, on the far side of the middle.
_VEIL, _SCATTER, _WIDE, _GHOST = 0.004, 0.006, 0.05, 3e-4
#: Share of light in the spikes of the aperture's blades, and their length as a share of the width.
_SPIKES, _SPIKE_LENGTH = 0.002, 0.008
#: Grains of dust, their radii as shares of the width, and the most that they take, at f/8.
_GRAINS, _GRAIN_RADIUS, _TAKES = 6, (0.003, 0.009), (0.05, 0.25)
#: Exposures longer than this many seconds are shaken by so much of the width.
_LONG, _SHAKE = 0.5, 3e-4
#: Coma draws points out away from the middle, at the corners by this share of the width at f/2; in so many steps.
_COMA, _COMA_STEPS = 8e-4, 7
#: Lamps on the mains go up and down by this share, so many times a second; light counts as theirs by half where it is
#: so many times the mean.
_FLICKER, _PULSES, _LAMPLIT = 0.35, 100.0, 3.0
#: An aircraft crosses one in so many exposures longer than this.
_SKY_SECONDS, _CROSSES = 4.0, 4


@dataclass(frozen=True)
class Flaws:
    """How strong each flaw is; 1 is what a good camera of today has, 0 none.

    Attributes
    ----------
    telegraph : float
        Sites that jump between two levels.
    weak : float
        Sites that answer too little.
    uneven : float
        Gain and offset that differ from site to site.
    drift : float
        Black that drifts along rows and between frames.
    glow : float
        A corner that glows on long exposures.
    coding : float
        Numbers coded with losses, as 14 bits in 12.
    glare : float
        Light scattered over the picture, a faint ghost of lamps beyond the middle, and spikes on lights.
    coma : float
        Points drawn out away from the middle, the more the wider the aperture.
    flicker : float
        Lamps that go up and down with the mains, in short exposures.
    dust : float
        Dust on the sensor, in the same places of every frame.
    shake : float
        The camera's sway during long exposures.
    aircraft : float
        Aircraft that cross long exposures.
    """

    telegraph: float = 0.0
    weak: float = 0.0
    uneven: float = 0.0
    drift: float = 0.0
    glow: float = 0.0
    coding: float = 0.0
    glare: float = 0.0
    coma: float = 0.0
    flicker: float = 0.0
    dust: float = 0.0
    shake: float = 0.0
    aircraft: float = 0.0

    @classmethod
    def all(cls, strength: float) -> "Flaws":
        """Every flaw of one strength."""
        return cls.some(strength)

    @classmethod
    def some(cls, strength: float, names: Sequence[FlawName] = ()) -> "Flaws":
        """Those of these names, or every one without any, of one strength."""
        return cls(**dict.fromkeys(names or FLAWS, strength))

    @classmethod
    def parse(cls, text: str) -> "Flaws":
        """Flaws from words: a number for all of them, or ``dust=2,glare=1`` for some.

        Raises
        ------
        ValueError
            If a name is unknown or a number is none from 0 to `STRONGEST`.
        """
        parts = [p.partition("=") for p in text.split(",")]
        if len(parts) == 1 and not parts[0][1]:
            return cls.all(_strength(text))
        for name, _, _ in parts:
            if name.strip() not in FLAWS:
                raise ValueError(f"there is no flaw “{name.strip()}”; known are {', '.join(sorted(FLAWS))}")
        return cls(**{name.strip(): _strength(value) for name, _, value in parts})

    def before_sensor(
        self, radiance: np.ndarray, seconds: float, aperture: float, light: float, serial: int, seed: int
    ) -> np.ndarray:
        """What lens, dust and sway make of radiance, float32 (H, W, 3).

        Parameters
        ----------
        radiance : ndarray, float32 (H, W, 3)
        seconds, aperture : float
        light : float
            Share of saturation that a radiance of 1 fills.
        serial, seed : int
            Of the sensor and of the frame.
        """
        rng = np.random.default_rng([seed, 37])
        out = radiance
        if self.aircraft and seconds > _SKY_SECONDS and rng.random() < self.aircraft / _CROSSES:
            out = out + _track(out.shape[:2], rng)[..., None] * np.float32(0.4 / light)
        if self.flicker:
            out = out * _lamplit(out, self.flicker_of(seconds, seed))
        if self.coma:
            out = _drawn_out(out, self.coma * _COMA * out.shape[1] * min(2 / aperture, 1.0) ** 2)
        if self.shake and seconds > _LONG:
            out = cv2.filter2D(out, -1, _sway(self.shake * _SHAKE * out.shape[1], rng))
        if self.glare:
            out = _glared(out, self.glare)
        if self.dust:
            out = out * self.transmission(radiance.shape[:2], aperture, serial)[..., None]
        return np.maximum(out, 0).astype(np.float32)

    def flicker_of(self, seconds: float, seed: int) -> float:
        """How bright lamps on the mains are in a frame, relative to their mean; its time averages their pulses."""
        phase = np.random.default_rng([seed, 61]).uniform(0, 2 * np.pi)
        return float(max(1 + self.flicker * _FLICKER * np.sinc(_PULSES * seconds) * np.cos(phase), 0.0))

    def transmission(self, size: tuple[int, int], aperture: float, serial: int) -> np.ndarray:
        """What dust lets through, float32 (H, W)."""
        height, width = size
        rng = np.random.default_rng([serial, 41])
        out = np.ones(size, np.float32)
        for _ in range(round(_GRAINS * self.dust)):
            at, radius = rng.random(2) * (width, height), rng.uniform(*_GRAIN_RADIUS) * width
            takes = min(rng.uniform(*_TAKES) * aperture / 8, 0.9)
            top, left = (max(int(v - 3 * radius), 0) for v in at[::-1])
            y, x = np.mgrid[top : int(at[1] + 3 * radius), left : int(at[0] + 3 * radius)]
            y, x = y[: max(height - top, 0), : max(width - left, 0)], x[: max(height - top, 0), : max(width - left, 0)]
            away = np.hypot(x - at[0], y - at[1]) / radius
            part = out[top : top + y.shape[0], left : left + y.shape[1]]
            part *= (1 - takes / (1 + np.exp((away - 1) * 6))).astype(np.float32)
        return out

    def response(self, size: tuple[int, int], serial: int) -> np.ndarray:
        """What each site answers with, relative to an ideal one, float32 (H, W)."""
        rng = np.random.default_rng([serial, 43])
        out = 1 + self.uneven * np.float32(_GAIN) * rng.standard_normal(size, np.float32)
        chance = rng.random(size, np.float32)
        weak = chance < self.weak * _WEAK
        out[weak] = rng.uniform(0.2, 0.9, int(weak.sum()))
        out[chance > 1 - self.weak * _DEAD] = 0
        return np.maximum(out, 0)

    def jumps(self, size: tuple[int, int], serial: int) -> np.ndarray:
        """By how many electrons each site jumps, float32 (H, W); 0 for most."""
        rng = np.random.default_rng([serial, 47])
        jumping = rng.random(size, np.float32) < self.telegraph * _JUMPING
        out = np.zeros(size, np.float32)
        out[jumping] = rng.exponential(_JUMP, int(jumping.sum()))
        return out

    def dark(self, size: tuple[int, int]) -> np.ndarray:
        """Electrons a second without light, beside the sensor's own, float32 (H, W)."""
        height, width = size
        y, x = np.ogrid[:height, :width]
        away = np.hypot(width - 1 - x, height - 1 - y) / (_GLOWS_OVER * width)
        return (self.glow * _GLOW * np.exp(-away)).astype(np.float32)

    def offset(self, size: tuple[int, int], serial: int, seed: int) -> np.ndarray:
        """Electrons by which sites depart in one frame, whatever their light, float32 (H, W)."""
        fixed, rng = np.random.default_rng([serial, 53]), np.random.default_rng([seed, 59])
        out = self.uneven * np.float32(_OFFSET) * fixed.standard_normal(size, np.float32)
        if self.telegraph:
            out += self.jumps(size, serial) * (rng.random(size, np.float32) < 0.5)
        if self.drift:
            wide = _SLOWLY / 2
            rows = rng.standard_normal((size[0] + 8 * _SLOWLY, 1))
            slow = cv2.GaussianBlur(rows, (0, 0), sigmaX=1e-3, sigmaY=wide)[4 * _SLOWLY : -4 * _SLOWLY]
            # Rows averaged by a bell so wide keep this deviation.
            slow *= _DRIFT * np.sqrt(2 * wide * np.sqrt(np.pi))
            out += np.float32(self.drift) * (slow + _FRAME * rng.standard_normal()).astype(np.float32)
        return out

    def coded(self, numbers: np.ndarray, black: int, per_electron: float) -> np.ndarray:
        """Raw numbers after coding by steps that grow as photon noise does, and decoding."""
        if not self.coding:
            return numbers
        # On the root of light photon noise is even: a step there is a share of it.
        step = self.coding * _STEP * np.sqrt(per_electron)
        above = np.maximum(numbers - black, 0)
        code = np.rint(2 * np.sqrt(above) / step) * step / 2
        return np.where(numbers > black, black + code**2, numbers)

    def truth(self, size: tuple[int, int], aperture: float, serial: int) -> dict[str, np.ndarray]:
        """What every frame of a camera shares, float32 (H, W) each: its response, jumps, glow and dust."""
        return {
            "response": self.response(size, serial),
            "jumps": self.jumps(size, serial),
            "glow": self.dark(size),
            "dust": self.transmission(size, aperture, serial),
        }


def _strength(text: str) -> float:
    value = float(text)
    if not 0 <= value <= STRONGEST:
        raise ValueError(f"{text} is no strength from 0 to {STRONGEST:g}")
    return value


def _glared(radiance: np.ndarray, strength: float) -> np.ndarray:
    """Light with what the lens scatters, mirrors and bends; none is lost or won but for the ghost."""
    height, width = radiance.shape[:2]
    small = cv2.resize(radiance, (max(width // 8, 8), max(height // 8, 8)), interpolation=cv2.INTER_AREA)
    wide = cv2.resize(cv2.GaussianBlur(small, (0, 0), _WIDE * small.shape[1]), (width, height))
    mirrored = cv2.GaussianBlur(small[::-1, ::-1], (0, 0), 1.5) * np.array([0.6, 1.0, 0.7], np.float32)
    ghost = cv2.resize(mirrored, (width, height))
    length = max(round(_SPIKE_LENGTH * width), 2)
    arm = np.exp(-np.abs(np.arange(-4 * length, 4 * length + 1)) / length)
    arm /= arm.sum()
    spikes = (cv2.filter2D(radiance, -1, arm[None]) + cv2.filter2D(radiance, -1, arm[:, None])) / 2
    veil = radiance.mean((0, 1), dtype=np.float64).astype(np.float32)
    kept = 1 - strength * (_VEIL + _SCATTER + _SPIKES)
    spread = _VEIL * veil + _SCATTER * wide + _SPIKES * spikes + _GHOST * ghost
    return np.asarray(kept * radiance + strength * spread, np.float32)


def _lamplit(radiance: np.ndarray, factor: float) -> np.ndarray:
    """By what light changes where lamps change by a factor, float32 (H, W, 1): what is bright is theirs."""
    light = radiance.mean(-1, keepdims=True)
    share = light / (light + np.float32(_LAMPLIT * max(float(light.mean()), 1e-12)))
    return np.asarray(1 + np.float32(factor - 1) * share, np.float32)


def _drawn_out(radiance: np.ndarray, length: float) -> np.ndarray:
    """Light drawn out away from the middle, by so many pixels at the corners: the mean of ever fainter copies."""
    height, width = radiance.shape[:2]
    middle, radius = np.array([(width - 1) / 2, (height - 1) / 2]), np.hypot(width, height) / 2
    weights = np.arange(_COMA_STEPS, 0, -1) / (_COMA_STEPS * (_COMA_STEPS + 1) / 2)
    out = np.zeros_like(radiance)
    for step, weight in enumerate(weights):
        scale = 1 + length / radius * step / (_COMA_STEPS - 1)
        matrix = np.array([[scale, 0, middle[0] * (1 - scale)], [0, scale, middle[1] * (1 - scale)]])
        moved = cv2.warpAffine(radiance, matrix, (width, height), borderMode=cv2.BORDER_REPLICATE)
        out += moved * np.float32(weight)
    return out


def _sway(length: float, rng: np.random.Generator) -> np.ndarray:
    """The way of a swaying camera as a kernel; its middle stays."""
    way = np.cumsum(rng.standard_normal((200, 2)), axis=0)
    way = (way - way.mean(0)) * (length / max(float(np.std(way - way.mean(0))), 1e-9))
    reach = int(np.ceil(np.abs(way).max())) + 1
    kernel = np.zeros((2 * reach + 1, 2 * reach + 1), np.float32)
    low = np.floor(way).astype(int)
    for part in range(4):
        by = np.array([part // 2, part % 2])
        weight = np.abs(1 - by - (way - low)).prod(1)
        np.add.at(kernel, tuple((low + by + reach).T), weight)
    return kernel / kernel.sum()


def _track(size: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """A thin line with blinking lights, float32 (H, W), 1 at its brightest."""
    height, width = size
    out = np.zeros(size, np.float32)
    start, end = (np.array([x, rng.uniform(0, 0.5) * height]) for x in (0.0, width - 1.0))
    ends = [tuple(int(v * 16) for v in p) for p in (start, end)]
    cv2.line(out, ends[0], ends[1], 0.15, 1, cv2.LINE_AA, 4)
    for share in np.arange(rng.uniform(0, 0.04), 1, 0.04):
        x, y = start + (end - start) * share
        cv2.circle(out, (int(x), int(y)), max(width // 1500, 1), 1.0, -1, cv2.LINE_AA)
    return cv2.GaussianBlur(out, (0, 0), 0.7)
