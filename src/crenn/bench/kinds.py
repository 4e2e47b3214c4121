"""Made-up scenes of kinds that the demo world lacks: light of Rec. 2020 and what their frames tell."""

import cv2
import numpy as np

from crenn.bench.charts import daylight

_SIZE = (600, 900)


def _grain(seed: int, deviation: float) -> np.ndarray:
    """Smooth noise with a spread of 1, float32 (H, W)."""
    noise = np.random.default_rng(seed).standard_normal(_SIZE).astype(np.float32)
    noise = cv2.GaussianBlur(noise, (0, 0), deviation)
    return np.asarray((noise - noise.mean()) / noise.std(), np.float32)


def _within(row: float, column: float, radii: tuple[float, float], soft: float = 1.0) -> np.ndarray:
    """1 within an ellipse, 0 outside, float32 (H, W)."""
    y, x = np.mgrid[: _SIZE[0], : _SIZE[1]].astype(np.float32)
    away = np.hypot((y - row) / radii[0], (x - column) / radii[1])
    return np.clip((1 - away) * min(radii) / soft + 0.5, 0, 1).astype(np.float32)


def _over(rgb: np.ndarray, mask: np.ndarray, light) -> np.ndarray:
    return np.asarray(rgb + mask[..., None] * (np.asarray(light, np.float32) - rgb), np.float32)


def disc_on_black() -> np.ndarray:
    """A full disc with seas and craters, a twentieth of the frame, before a sky ten stops darker."""
    light = np.full((*_SIZE, 3), 2.0**-12, np.float32)
    seas = np.exp2(0.35 * _grain(1, 14) + 0.15 * _grain(2, 3) - 2.2)
    return _over(light, _within(280, 430, (93, 93)), seas[..., None] * np.array([1.03, 1.0, 0.93]))


def stage() -> np.ndarray:
    """A stage in deep blue, with a magenta wash, one white spot on a singer, and amplifiers in the dark."""
    y, x = np.mgrid[: _SIZE[0], : _SIZE[1]].astype(np.float32)
    folds = 1 + 0.3 * np.sin(x / 9) * np.sin(x / 41 + 1)
    wash = np.exp2(-4.2 + 1.2 * np.exp(-(((x - 600) / 220) ** 2)) - 0.8 * y / _SIZE[0]) * folds
    light = wash[..., None] * np.array([0.05, 0.03, 1.0], np.float32)
    glow = np.exp2(-6 + 2.5 * np.exp(-((x / 180) ** 2)))
    light = light + glow[..., None] * np.array([1.0, 0.03, 0.6], np.float32)
    floor = y > 470
    light = np.where(floor[..., None], light * 0.25, light)
    skin = np.exp2(-1.2 + 0.12 * _grain(3, 2) - 1.5 * np.clip((x - 395) / 60, 0, 1))
    light = _over(light, _within(230, 400, (46, 34), 3), skin[..., None] * np.array([1.0, 0.72, 0.58]))
    shirt = np.exp2(-4.5 + 0.3 * _grain(4, 3))
    light = _over(light, _within(380, 400, (110, 62), 3), shirt[..., None] * np.array([0.9, 0.9, 1.0]))
    return np.asarray(light, np.float32)


def filtered_day() -> np.ndarray:
    """A bright day through a filter of ten stops: minutes of exposure at base ISO."""
    return cv2.resize(daylight(), _SIZE[::-1], interpolation=cv2.INTER_AREA)


def face_by_window() -> np.ndarray:
    """A face lit from the side by a window that shows a bright street, in a dim room."""
    y, x = np.mgrid[: _SIZE[0], : _SIZE[1]].astype(np.float32)
    wall = np.exp2(-7.2 + 1.5 * np.exp(-np.clip(x - 320, 0, None) / 220) + 0.08 * _grain(5, 2))
    light = wall[..., None] * np.array([1.05, 1.0, 0.92], np.float32)
    street = np.exp2(-0.6 + 0.5 * _grain(6, 12) + 0.25 * _grain(7, 2))
    window = ((x > 60) & (x < 300) & (y > 70) & (y < 470) & (np.abs(x - 180) > 5)).astype(np.float32)
    light = _over(light, cv2.GaussianBlur(window, (0, 0), 0.8), street[..., None] * np.array([0.92, 1.0, 1.1]))
    turn = np.clip((560 - x) / 180, -0.4, 1)
    skin = np.exp2(-5.6 + 1.9 * turn + 0.06 * _grain(8, 1.5))
    light = _over(light, _within(300, 560, (130, 96), 4), skin[..., None] * np.array([1.0, 0.74, 0.58]))
    for column in (520, 600):
        light = _over(light, _within(270, column, (7, 14), 3), light[270, column] * 0.18)
    light = _over(light, _within(365, 556, (8, 30), 4), light[365, 556] * np.array([0.7, 0.42, 0.4]))
    hair = np.exp2(-8 + 0.8 * _grain(9, 1.2))
    return _over(light, _within(190, 566, (70, 108), 5), hair[..., None] * np.array([1.1, 0.95, 0.8]))


def fog() -> np.ndarray:
    """Trees in fog, the nearest hardly two stops darker than the sky."""
    y, x = np.mgrid[: _SIZE[0], : _SIZE[1]].astype(np.float32)
    light = np.exp2(-1.8 - 0.5 * y / _SIZE[0])[..., None] * np.array([0.97, 1.0, 1.04], np.float32)
    rng = np.random.default_rng(10)
    for near in (0.25, 0.5, 1.0):
        for _ in range(7):
            at, wide = rng.uniform(0, _SIZE[1]), 4 + 18 * near * rng.uniform(0.6, 1.2)
            trunk = np.clip((wide - np.abs(x - at - 6 * np.sin(y / 90))) / (1.5 + 2 * (1 - near)) + 0.5, 0, 1)
            trunk = trunk * np.clip((y - 330 * (1 - near)) / 30, 0, 1)
            bark = np.exp2(-2.2 - 1.6 * near + 0.15 * near * _grain(11, 1.5))
            light = _over(light, trunk * (0.35 + 0.6 * near), bark[..., None] * np.array([1.0, 0.99, 0.96]))
    return light


#: By name: how light is made, and seconds, f-number and ISO of the frame, with what its filter took in stops.
KINDS = {
    "disc on black": (disc_on_black, 1 / 250, 8.0, 100.0, 0.0),
    "stage light": (stage, 1 / 250, 2.8, 3200.0, 0.0),
    "day through ten stops": (filtered_day, 8.0, 11.0, 100.0, 10.0),
    "face by a window": (face_by_window, 1 / 125, 4.0, 200.0, 0.0),
    "fog": (fog, 1 / 250, 8.0, 100.0, 0.0),
}
