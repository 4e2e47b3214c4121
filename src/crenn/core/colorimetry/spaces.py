"""Colour spaces and units of light used everywhere in the core.

Working space: scene-linear light, Rec. ITU-R BT.2020 primaries, white D65.
"""

import numpy as np

#: CIE 1931 xy of D65 (ITU-R BT.2020-2, table 3).
D65_XY = (0.3127, 0.3290)
REC2020_XY = ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046))
SRGB_XY = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06))

#: OpenEXR attribute ``chromaticities`` of the working space.
REC2020_CHROMATICITIES = (*REC2020_XY[0], *REC2020_XY[1], *REC2020_XY[2], *D65_XY)


def xy_to_xyz(x: float, y: float) -> np.ndarray:
    """XYZ of a chromaticity at Y = 1, float64 (3,)."""
    return np.array([x / y, 1.0, (1.0 - x - y) / y])


def rgb_to_xyz_matrix(primaries, white=D65_XY) -> np.ndarray:
    """Matrix from linear RGB to XYZ, float64 (3, 3) (SMPTE RP 177-1993)."""
    columns = np.stack([xy_to_xyz(*p) for p in primaries], axis=1)
    return columns * np.linalg.solve(columns, xy_to_xyz(*white))


REC2020_TO_XYZ = rgb_to_xyz_matrix(REC2020_XY)
XYZ_TO_REC2020 = np.linalg.inv(REC2020_TO_XYZ)
SRGB_TO_XYZ = rgb_to_xyz_matrix(SRGB_XY)
XYZ_TO_SRGB = np.linalg.inv(SRGB_TO_XYZ)
REC2020_TO_SRGB = XYZ_TO_SRGB @ REC2020_TO_XYZ

#: Weights of luminance in linear Rec. 2020.
LUMINANCE = REC2020_TO_XYZ[1].astype(np.float32)
#: Tone of middle grey, light of 18 %, in EV below white or saturation.
MIDDLE_GREY = -2.47

#: Bradford cone responses (ICC.1:2022, annex E).
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def luminance(rgb: np.ndarray) -> np.ndarray:
    """Luminance of linear Rec. 2020, float32 (..., 3) to float32 (...)."""
    return rgb @ LUMINANCE


def srgb_encode(linear: np.ndarray) -> np.ndarray:
    """Linear light 0–1 to sRGB code 0–1 (IEC 61966-2-1)."""
    linear = np.clip(linear, 0.0, 1.0)
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.power(linear, 1 / 2.4) - 0.055)


def srgb_decode(code: np.ndarray) -> np.ndarray:
    """SRGB code 0–1 to linear light 0–1 (IEC 61966-2-1)."""
    code = np.asarray(code)
    return np.where(code <= 0.04045, code / 12.92, np.power((code + 0.055) / 1.055, 2.4))


def lightness(y):
    """CIE L*, 0–100, of luminance relative to white (CIE 15:2018)."""
    y = np.asarray(y)
    return np.where(y > 216 / 24389, 116.0 * np.cbrt(y) - 16.0, y * 24389 / 27)


def luminance_of_lightness(lstar):
    """Luminance relative to white of CIE L* (CIE 15:2018)."""
    lstar = np.asarray(lstar)
    return np.where(lstar > 8.0, ((lstar + 16.0) / 116.0) ** 3, lstar * 27 / 24389)


def xyz_to_lab(xyz: np.ndarray) -> np.ndarray:
    """CIE L*a*b* under D65 of XYZ at Y = 1 white, (..., 3) to (..., 3) (CIE 15:2018)."""
    ratio = np.asarray(xyz) / xy_to_xyz(*D65_XY)
    f = np.where(ratio > 216 / 24389, np.cbrt(ratio), (ratio * 24389 / 27 + 16.0) / 116.0)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)


def srgb_to_lab(code: np.ndarray) -> np.ndarray:
    """CIE L*a*b* of an sRGB picture with codes 0–1, (..., 3) to (..., 3)."""
    return xyz_to_lab(srgb_decode(code) @ SRGB_TO_XYZ.T)


def delta_e2000(lab1: np.ndarray, lab2: np.ndarray) -> np.ndarray:
    """Colour difference CIEDE2000 (Sharma, Wu and Dalal 2005), (..., 3) twice to (...)."""
    l1, a1, b1 = np.moveaxis(np.asarray(lab1, np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(lab2, np.float64), -1, 0)
    mean_c7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(mean_c7 / (mean_c7 + 25.0**7)))
    a1, a2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    dh = np.where(grey, 0.0, (h2 - h1 + 180) % 360 - 180)
    d_h = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    hm = np.where(grey, h1 + h2, (h1 + dh / 2) % 360)
    t = (
        1
        - 0.17 * np.cos(np.radians(hm - 30))
        + 0.24 * np.cos(np.radians(2 * hm))
        + 0.32 * np.cos(np.radians(3 * hm + 6))
        - 0.20 * np.cos(np.radians(4 * hm - 63))
    )
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    rotation = -np.sin(np.radians(60 * np.exp(-(((hm - 275) / 25) ** 2)))) * 2 * np.sqrt(cm**7 / (cm**7 + 25.0**7))
    kl, kc, kh = (l2 - l1) / sl, (c2 - c1) / sc, d_h / sh
    return np.sqrt(np.maximum(kl**2 + kc**2 + kh**2 + rotation * kc * kh, 0))


def chromaticity_of_temperature(kelvin: float) -> tuple[float, float]:
    """CIE xy of daylight above 4000 K and of a black body below, joined between 3600 K and 4400 K.

    Daylight after CIE 15:2018; the Planckian locus after Kim et al. (US patent 7024034, cubic fit).

    Raises
    ------
    ValueError
        If the temperature lies outside 1667 K to 25000 K.
    """
    if not 1667 <= kelvin <= 25000:
        raise ValueError(f"colour temperature {kelvin} K lies outside 1667–25000 K")
    t = 1000.0 / kelvin
    if kelvin < 4000:
        x = -0.2661239 * t**3 - 0.2343589 * t**2 + 0.8776956 * t + 0.179910
    else:
        x = -3.0258469 * t**3 + 2.1070379 * t**2 + 0.2226347 * t + 0.240390
    if kelvin < 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif kelvin < 4000:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    if kelvin > 3600:
        share = min((kelvin - 3600) / 800, 1.0)
        k = max(kelvin, 4000.0)
        u = 1000.0 / k
        xd = (
            -4.6070 * u**3 + 2.9678 * u**2 + 0.09911 * u + 0.244063
            if k <= 7000
            else -2.0064 * u**3 + 1.9018 * u**2 + 0.24748 * u + 0.237040
        )
        yd = -3.0 * xd**2 + 2.870 * xd - 0.275
        x, y = x + share * (xd - x), y + share * (yd - y)
    return x, y


def adaptation_matrix(white_from: np.ndarray, white_to: np.ndarray) -> np.ndarray:
    """Bradford adaptation between two whites in XYZ, float64 (3, 3) (ICC.1:2022, annex E)."""
    gains = (BRADFORD @ white_to) / (BRADFORD @ white_from)
    return np.linalg.inv(BRADFORD) @ (gains[:, None] * BRADFORD)
