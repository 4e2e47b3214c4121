"""Procedural surfaces of Tarrowick: noise, masonry, windows with rooms behind them."""

import numba as nb
import numpy as np


@nb.njit(inline="always", error_model="numpy")
def hashed(x, y, z):
    """Even random number 0–1 of three integers."""
    n = (np.int64(x) * 374761393 + np.int64(y) * 668265263 + np.int64(z) * 2147483647) & 0xFFFFFFFF
    n = ((n ^ (n >> 13)) * 1274126177) & 0xFFFFFFFF
    n = ((n ^ (n >> 16)) * 2246822519) & 0xFFFFFFFF
    n ^= n >> 15
    return (n & 0xFFFFFF) / 16777216.0


@nb.njit
def value_noise(x, y, z):
    """Smooth noise 0–1 (Perlin 1985, value variant)."""
    i, j, k = int(np.floor(x)), int(np.floor(y)), int(np.floor(z))
    fx, fy, fz = x - i, y - j, z - k
    fx, fy, fz = fx * fx * (3 - 2 * fx), fy * fy * (3 - 2 * fy), fz * fz * (3 - 2 * fz)
    total = 0.0
    for a in range(2):
        for b in range(2):
            for c in range(2):
                w = (fx if a else 1 - fx) * (fy if b else 1 - fy) * (fz if c else 1 - fz)
                total += w * hashed(i + a, j + b, k + c)
    return total


@nb.njit
def fractal(x, y, z, octaves):
    """Sum of octaves of noise, 0–1."""
    total, weight, norm = 0.0, 1.0, 0.0
    for _ in range(octaves):
        total += weight * value_noise(x, y, z)
        norm += weight
        weight *= 0.5
        x, y, z = x * 2.03 + 7.1, y * 2.03 + 3.7, z * 2.03 + 1.3
    return total / norm


@nb.njit
def masonry(u, v, length, height, joint, seed, blur):
    """Bricks or blocks in running bond: (brightness factor, share of joint).

    ``blur`` is the size of a pixel on the wall, in metres: joints finer than that fade into their mean.
    """
    row = np.floor(v / height)
    shift = 0.5 * length if int(row) % 2 else 0.0
    column = np.floor((u + shift) / length)
    du = (u + shift) - column * length
    dv = v - row * height
    edge = min(min(du, length - du), min(dv, height - dv))
    soft = max(blur, joint * 0.3)
    mortar = min(max((joint - edge) / soft + 0.5, 0.0), 1.0)
    far = min(blur / (0.7 * height), 1.0)
    mean_joint = 2 * joint / height
    mortar = mortar * (1 - far) + mean_joint * far
    tone = 0.75 + 0.5 * hashed(int(column), int(row), seed)
    return tone * (1 - far) + far, mortar


@nb.njit
def room(u, v, du, dv, dn, width, height, depth, seed, out):
    """What is seen through a lit window: the room behind it (interior mapping; van Dongen 2008).

    ``u, v`` are on the window's cell, ``du, dv, dn`` the ray with dn > 0 into the room; radiance into ``out``.
    """
    tx = (width - u) / du if du > 1e-6 else (-u / du if du < -1e-6 else 1e9)
    ty = (height - v) / dv if dv > 1e-6 else (-v / dv if dv < -1e-6 else 1e9)
    tz = depth / max(dn, 1e-6)
    t = min(tx, min(ty, tz))
    px, py, pz = u + du * t, v + dv * t, dn * t
    warm = hashed(seed, 3, 1)
    r, g, b = 0.85, 0.78, 0.66
    if t == tz:
        # Back wall: painted, with a door or a picture.
        shade = 0.55 + 0.45 * hashed(seed, 5, 2)
        r, g, b = 0.85 * shade, 0.72 * shade + 0.1 * warm, 0.55 * shade + 0.2 * warm
        ax = 0.25 + 0.4 * hashed(seed, 7, 2)
        if abs(px - ax * width) < 0.35 and py < 2.0 and hashed(seed, 8, 2) < 0.5:
            r, g, b = 0.30, 0.18, 0.10
        elif abs(px - (1 - ax) * width) < 0.3 and 1.3 < py < 1.9:
            r, g, b = 0.25 + 0.5 * hashed(seed, 9, 2), 0.3, 0.25 + 0.4 * hashed(seed, 9, 5)
    elif t == ty and dv < 0:
        r, g, b = 0.32, 0.22, 0.14
    elif t == tx:
        stripe = 0.9 + 0.1 * np.sin(pz * 25.0)
        r, g, b = 0.8 * stripe, 0.7 * stripe, 0.55 * stripe
    # Furniture along the back: a dark silhouette.
    if pz > depth * 0.6 and py < 0.7 + 0.5 * hashed(int(px * 1.7), seed, 4):
        r, g, b = r * 0.25, g * 0.2, b * 0.2
    lx, ly, lz = width * 0.5, height - 0.6, depth * (0.35 + 0.3 * hashed(seed, 11, 2))
    d2 = (px - lx) ** 2 + (py - ly) ** 2 + (pz - lz) ** 2
    light = 1.6 / (d2 + 0.35) + 0.12
    # The lamp itself, a shaded ball.
    bx, by, bz = lx - u, ly - v, lz
    along = bx * du + by * dv + bz * dn
    near = (bx - along * du) ** 2 + (by - along * dv) ** 2 + (bz - along * dn) ** 2
    if near < 0.03 and along < t:
        r, g, b, light = 1.0, 0.95, 0.85, 9.0
    power = 0.35 + 1.3 * hashed(seed, 13, 2) ** 2
    if hashed(seed, 17, 2) < 0.12:
        out[0], out[1], out[2] = r * 0.75 * light * power, g * 0.95 * light * power, b * 1.2 * light * power
    else:
        out[0], out[1], out[2] = r * 1.15 * light * power, g * 0.78 * light * power, b * 0.40 * light * power
