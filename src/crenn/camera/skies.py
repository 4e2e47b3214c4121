"""Skies over Tarrowick, by direction; the sun, where there is one, is the scene's."""

import numba as nb
import numpy as np

from crenn.camera.solids import AURORA, BLUE_HOUR, DAWN, NIGHT
from crenn.camera.textures import fractal


@nb.njit
def blue_hour_sky(dx, dy, dz, out):
    """Sky after sunset: deep blue above, a rose and amber afterglow low in one direction, thin cloud."""
    up = max(dy, 0.0)
    horizon = np.exp(-up * 5.0)
    low = np.exp(-up * 14.0)
    west = max(0.0, 0.55 * dx + 0.83 * dz)
    glow = low * west * west
    r = 0.030 + 0.060 * horizon + 0.34 * glow
    g = 0.062 + 0.105 * horizon + 0.17 * glow
    b = 0.160 + 0.150 * horizon + 0.06 * glow
    h = max(dy, 0.03)
    cx, cz = dx / (h + 0.12), dz / (h + 0.12)
    cloud = fractal(cx * 0.55 + 11.0, cz * 1.3 + 4.0, 0.5, 6)
    veil = min(max((cloud - 0.50) * 3.2, 0.0), 1.0) * (1 - np.exp(-up * 22.0)) * 0.85
    lit = 0.4 + 0.9 * horizon * west
    fine = fractal(cx * 2.1, cz * 4.7, 3.0, 4)
    out[0] = r * (1 - 0.6 * veil) + veil * (0.085 * lit + 0.12 * glow + 0.02 * fine)
    out[1] = g * (1 - 0.6 * veil) + veil * (0.075 * lit + 0.05 * glow + 0.02 * fine)
    out[2] = b * (1 - 0.6 * veil) + veil * (0.115 * lit + 0.03 * fine)


@nb.njit
def morning_sky(dx, dy, dz, out):
    """Bright hazy morning over water: pale near the horizon, blue above, broken cloud."""
    up = max(dy, 0.0)
    horizon = np.exp(-up * 4.0)
    r = 0.30 + 0.75 * horizon
    g = 0.46 + 0.66 * horizon
    b = 0.85 + 0.42 * horizon
    h = max(dy, 0.02)
    cx, cz = dx / (h + 0.1), dz / (h + 0.1)
    cloud = fractal(cx * 0.5 + 3.0, cz * 0.8 + 9.0, 2.5, 6)
    cover = min(max((cloud - 0.47) * 3.5, 0.0), 1.0) * (1 - np.exp(-up * 25.0))
    bright = 1.1 + 0.7 * fractal(cx * 1.3, cz * 2.0, 7.0, 4)
    out[0] = r * (1 - cover) + cover * bright * 1.02
    out[1] = g * (1 - cover) + cover * bright * 1.0
    out[2] = b * (1 - cover) + cover * bright * 0.98


@nb.njit
def dawn_sky(dx, dy, dz, out):
    """Sky before sunrise: a narrow fiery band over the hills, cold blue above, bars of cloud lit from below."""
    up = max(dy, 0.0)
    band = np.exp(-up * 9.0)
    east = max(0.0, 0.35 * dx + 0.94 * dz) ** 3
    r = 0.035 + 0.05 * np.exp(-up * 3.0) + 1.9 * band * east
    g = 0.060 + 0.07 * np.exp(-up * 3.0) + 0.80 * band * east
    b = 0.130 + 0.09 * np.exp(-up * 3.0) + 0.22 * band * east
    h = max(dy, 0.02)
    cx, cz = dx / (h + 0.08), dz / (h + 0.08)
    cloud = fractal(cx * 0.35 + 5.0, cz * 1.1 + 2.0, 4.5, 6)
    bar = min(max((cloud - 0.48) * 4.0, 0.0), 1.0) * (1 - np.exp(-up * 16.0)) * 0.9
    lit = np.exp(-up * 5.0) * east
    out[0] = r * (1 - 0.7 * bar) + bar * (0.03 + 0.75 * lit)
    out[1] = g * (1 - 0.7 * bar) + bar * (0.04 + 0.26 * lit)
    out[2] = b * (1 - 0.7 * bar) + bar * (0.07 + 0.13 * lit)


@nb.njit
def aurora_sky(dx, dy, dz, out):
    """Moonless night with two green curtains, red at their tops, and the milky band of the galaxy."""
    up = max(dy, 0.0)
    air = np.exp(-up * 4.0)
    r, g, b = 0.030 + 0.030 * air, 0.036 + 0.034 * air, 0.050 + 0.026 * air
    for k in range(2):
        azimuth = np.arctan2(dx, dz)
        foot = 0.16 + 0.12 * k + 0.05 * np.sin(2.3 * azimuth + 1.7 * k) + 0.025 * np.sin(7.0 * azimuth + k)
        height = up - foot
        rays = 0.35 + 1.1 * fractal(azimuth * 14.0 + 3 * k, 0.3 * up, 1.5 + k, 4) ** 2
        side = np.exp(-(((azimuth - 0.35 + 0.5 * k) / 0.55) ** 2))
        body = rays * side * (np.exp(-max(height, 0.0) * 7.0) if height > 0 else np.exp(height * 45.0))
        top = rays * side * np.exp(-(((height - 0.22) / 0.10) ** 2))
        r, g, b = r + 0.03 * body + 0.07 * top, g + 0.30 * body + 0.02 * top, b + 0.09 * body + 0.05 * top
    along = 0.55 * dx - 0.62 * dy + 0.56 * dz
    galaxy = np.exp(-((along / 0.16) ** 2)) * (0.4 + 0.9 * fractal(dx * 6, dy * 6, dz * 6, 5))
    out[0], out[1], out[2] = r + 0.045 * galaxy, g + 0.042 * galaxy, b + 0.045 * galaxy


@nb.njit
def night_sky(dx, dy, dz, out):
    """Overcast night, lit from below by the town."""
    up = max(dy, 0.0)
    h = max(dy, 0.03)
    cloud = fractal(dx / (h + 0.2) * 0.9, dz / (h + 0.2) * 0.9, 8.0, 5)
    glow = (0.25 + 0.75 * np.exp(-up * 3.5)) * (0.45 + 0.9 * cloud)
    out[0], out[1], out[2] = 0.016 * glow, 0.012 * glow, 0.011 * glow


@nb.njit
def sky(kind, dx, dy, dz, out):
    """Radiance of a sky of a kind in a direction, into ``out``."""
    if kind == BLUE_HOUR:
        blue_hour_sky(dx, dy, dz, out)
    elif kind == DAWN:
        dawn_sky(dx, dy, dz, out)
    elif kind == AURORA:
        aurora_sky(dx, dy, dz, out)
    elif kind == NIGHT:
        night_sky(dx, dy, dz, out)
    else:
        morning_sky(dx, dy, dz, out)
