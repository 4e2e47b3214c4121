"""A simulated Bayer sensor: radiance in, raw numbers out, with the noise of a real one."""

from dataclasses import dataclass, field

import numpy as np

from crenn.camera.flaws import Flaws
from crenn.core.colorimetry.spaces import REC2020_TO_XYZ

#: XYZ to camera, for D65, in the sense of the DNG tag ColorMatrix1.
DEFAULT_XYZ_TO_CAMERA = (
    (0.7034, -0.0804, -0.1014),
    (-0.4420, 1.2564, 0.2058),
    (-0.0851, 0.1994, 0.5758),
)


@dataclass(frozen=True)
class Exposure:
    """One setting of the camera.

    Parameters
    ----------
    seconds : float
        The exposure time written into the file.
    aperture : float
        f-number.
    iso : float
        Sensitivity.
    shutter_error : float
        Factor by which the shutter really stays open longer than it says.
    """

    seconds: float
    aperture: float = 8.0
    iso: float = 100.0
    shutter_error: float = 1.0

    @property
    def relative(self) -> float:
        """Light recorded per unit of radiance, as the metadata tells; 1 at 1 s, f/8, ISO 100."""
        return self.seconds * (self.iso / 100.0) * (8.0 / self.aperture) ** 2


@dataclass(frozen=True)
class Sensor:
    """Constants of the simulated sensor.

    A radiance of 1.0 (Rec. 2020 green after the colour matrix) just saturates green at 1 s, f/8 and
    ISO 100. Electrons follow Poisson statistics; read noise has a part before and a part after the
    amplifier, which is how it depends on ISO (EMVA Standard 1288, release 4.0). Electrons of a row's amplifier depart
    from frame to frame, by ``row_noise``, those of a column's for good, by ``column_pattern``. ``flaws`` are
    what else keeps a real one from being ideal.
    """

    pattern: str = "RGGB"  # row by row; 4 letters for a Bayer tile, 36 for one of 6×6
    full_well: float = 48000.0
    read_before: float = 2.2
    read_after: float = 6.0
    black: int = 512
    white: int = 16383
    prnu: float = 0.0015
    dsnu: float = 0.35
    dark_current: float = 0.06
    hot_share: float = 2e-5
    serial: int = 7
    row_noise: float = 0.0
    column_pattern: float = 0.0
    xyz_to_camera: tuple = field(default=DEFAULT_XYZ_TO_CAMERA)
    flaws: Flaws = field(default_factory=Flaws)

    def read_noise(self, iso: float) -> float:
        """Read noise in electrons at a sensitivity."""
        return float(np.hypot(self.read_before, self.read_after * 100.0 / iso))

    def capacity(self, iso: float) -> float:
        """Electrons that fill the raw range at a sensitivity."""
        return self.full_well * 100.0 / iso

    def noise_profile(self, iso: float) -> tuple[float, float]:
        """Slope and offset of the variance, ``var(x) = S x + O`` (DNG 1.7, tag NoiseProfile)."""
        capacity = self.capacity(iso)
        quantisation = 1.0 / 12.0 / (self.white - self.black) ** 2
        return 1.0 / capacity, (self.read_noise(iso) / capacity) ** 2 + quantisation

    def camera_matrix(self) -> np.ndarray:
        """Rec. 2020 to camera, (3, 3); scaled so that D65 white gives 1 in green."""
        matrix = np.asarray(self.xyz_to_camera) @ REC2020_TO_XYZ
        return matrix / matrix[1].sum()

    def cfa(self, height: int, width: int) -> np.ndarray:
        """Colour index (0 R, 1 G, 2 B) of every site, uint8 (H, W)."""
        side = round(len(self.pattern) ** 0.5)
        tile = np.array(["RGB".index(c) for c in self.pattern], np.uint8).reshape(side, side)
        return np.tile(tile, (height // side + 1, width // side + 1))[:height, :width]

    def expose(self, radiance: np.ndarray, exposure: Exposure, seed: int = 0) -> np.ndarray:
        """Take one raw frame.

        Parameters
        ----------
        radiance : ndarray, float32 (H, W, 3)
            Scene-linear Rec. 2020.
        exposure : Exposure
        seed : int
            Seed of the temporal noise; the fixed pattern depends on the sensor's serial alone.

        Returns
        -------
        ndarray, uint16 (H, W)
        """
        height, width = radiance.shape[:2]
        rng = np.random.default_rng([seed, 11])
        fixed = np.random.default_rng(self.serial)
        colours = self.cfa(height, width)
        matrix = self.camera_matrix().astype(np.float32)
        capacity = self.capacity(exposure.iso)
        light = exposure.seconds * exposure.shutter_error * (8.0 / exposure.aperture) ** 2
        flaws, flawed = self.flaws, self.flaws != Flaws()
        if flawed:
            about = exposure.seconds, exposure.aperture, exposure.relative, self.serial, seed
            radiance = flaws.before_sensor(radiance, *about)
        mosaic = np.empty((height, width), np.float32)
        for channel in range(3):
            sites = colours == channel
            mosaic[sites] = np.maximum(radiance[sites] @ matrix[channel], 0.0)
        electrons = mosaic * np.float32(light * self.full_well)
        electrons *= 1.0 + self.prnu * fixed.standard_normal((height, width), np.float32)
        if flawed:
            electrons *= flaws.response((height, width), self.serial)
        dark = np.full((height, width), self.dark_current, np.float32)
        hot = fixed.random((height, width), np.float32) < self.hot_share
        dark[hot] = fixed.exponential(4000.0, int(hot.sum()))
        if flawed:
            dark += flaws.dark((height, width))
        electrons += dark * exposure.seconds
        few = electrons < 1000.0
        noisy = electrons + np.sqrt(electrons) * rng.standard_normal((height, width), np.float32)
        noisy[few] = rng.poisson(electrons[few])
        noisy += self.read_noise(exposure.iso) * rng.standard_normal((height, width), np.float32)
        noisy += self.dsnu * fixed.standard_normal((height, width), np.float32)
        if self.row_noise:
            noisy += self.row_noise * rng.standard_normal((height, 1), np.float32)
        if self.column_pattern:
            noisy += self.column_pattern * fixed.standard_normal((1, width), np.float32)
        if flawed:
            noisy += flaws.offset((height, width), self.serial, seed)
        numbers = self.black + noisy * np.float32((self.white - self.black) / capacity)
        if flawed:
            numbers = flaws.coded(numbers, self.black, (self.white - self.black) / capacity)
        return np.clip(np.rint(numbers), 0, self.white).astype(np.uint16)
