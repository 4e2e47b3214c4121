"""A deeper sky: what a polarising filter before the lens does to the blue of a sky."""

from collections.abc import Mapping

import cv2
import numpy as np

from crenn.core.areas.found.sky import SIDE
from crenn.core.colorimetry.circle import BLUE, arc, eased
from crenn.core.colorimetry.oklab import hue_and_saturation
from crenn.core.colorimetry.spaces import luminance
from crenn.core.colour.reflections import mirrored
from crenn.core.colour.step import ColourStep
from crenn.core.pipeline.colours import Colours
from crenn.core.pipeline.planes import GuidedField, PlaneContext
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, StepParameters, dial

#: The blue of skies on the circle of hues, and saturations from which on it begins to be and is one.
_WIDTH, _SOFT, _FROM, _FULL = 70.0, 40.0, 0.02, 0.09
#: Longer side of the picture that the sky is looked for in, in pixels.
_SIDE = 300
#: Slope, in stops per pixel of it, that parts a sky from the water below it.
_STEP = 0.22
#: How smoothly the sky's share varies, and that of water, in % of the picture's longer side.
_REACH, _SHARP = 2.0, 0.6
#: EV that a filter takes of light that swings wholly along the water.
_MIRRORED = 2.5
#: Saturation that is gained per EV of deepening, at 100 % purity.
_PURER = 0.5


class SkyParameters(StepParameters):
    strength: float = dial(
        0.0,
        "EV",
        0.0,
        2.5,
        0.05,
        "Deepen sky",
        "Darkens and purifies a blue sky, the more the farther from its brightest part, as a polarising filter does.",
        bend=Bend("add", -2.5, 2.5, 0.05),
    )
    purity: float = dial(
        100, "%", 0, 200, 1, "Purity", "How much purer the sky becomes as it darkens.", bend=Bend("add", -200, 200, 1)
    )
    reflections: float = dial(
        0,
        "%",
        0,
        100,
        1,
        "Off water",
        "Takes the sky that water mirrors off it, most where a filter would: steeply below the horizon.",
        bend=Bend("add", -100, 100, 1),
    )
    turn: float = dial(0.0, "°", -90, 90, 1, "Turn", "Turns the filter, from where it is strongest.")


def skies(rgb: np.ndarray, around: PlaneContext) -> tuple[np.ndarray, np.ndarray]:
    """What is joined to the upper border without a step of light, and how far of it is blue: float32 (h, w) twice.

    Water that mirrors a sky is parted from it by a shore, or by the step of light along a horizon.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Reduced light of the scene.
    around : PlaneContext
    """
    hue, saturation = hue_and_saturation(np.maximum(rgb, 0))
    light = np.maximum(luminance(rgb), around.floor)
    seen = eased(np.log2(light / around.floor) / 3.0)
    blue = seen * arc(hue, BLUE, _WIDTH, _SOFT) * eased((saturation - _FROM) / (_FULL - _FROM))
    height, width = blue.shape
    factor = min(_SIDE / max(height, width), 1.0)
    size = max(round(width * factor), 2), max(round(height * factor), 2)
    lit, bluish, stops = (
        cv2.resize(v.astype(np.float32), size, interpolation=cv2.INTER_AREA) for v in (seen, blue, np.log2(light))
    )
    smooth = cv2.GaussianBlur(stops, (0, 0), 0.8)
    slope = np.hypot(cv2.Sobel(smooth, cv2.CV_32F, 0, 1), cv2.Sobel(smooth, cv2.CV_32F, 1, 0)) / 8.0
    even = np.exp(-((slope / _STEP) ** 2)).astype(np.float32)
    joined, of_blue = (_reached(np.minimum(way, even)) for way in (lit, bluish))
    # What the step along a skyline has cut off belongs to the sky again.
    kernel = np.ones((5, 5), np.uint8)
    joined, of_blue = (np.minimum(cv2.dilate(v, kernel), way) for v, way in ((joined, lit), (of_blue, bluish)))
    joined, of_blue = (cv2.resize(v, (width, height), interpolation=cv2.INTER_LINEAR) for v in (joined, of_blue))
    sure = np.minimum(eased((of_blue - 0.25) / 0.5), eased((blue - 0.15) / 0.5))
    return np.asarray(eased((joined - 0.25) / 0.5), np.float32), np.asarray(sure, np.float32)


def _reached(way: np.ndarray) -> np.ndarray:
    """The best of the worst that lies on a way from the upper border to each place, float32 like the ways.

    Reconstruction by dilation (Vincent 1993).
    """
    reached = np.zeros_like(way)
    reached[0] = way[0]
    for _ in range(4 * max(way.shape)):
        further = np.minimum(cv2.dilate(reached, np.ones((3, 3), np.uint8)), way)
        if np.array_equal(further, reached):
            break
        reached = further
    return reached


def polarised(shape: tuple[int, int], brightest: tuple[float, float], turn: float, sky: np.ndarray) -> np.ndarray:
    """Share of a sky's light that a polarising filter takes, relative to the most that it takes, float32 (h, w).

    Single scattering (Rayleigh): at an angle *g* from the light, *sin² g / (1 + cos² g)* of it swings across the plane
    of light and place; of that the filter lets *cos²* of its own angle to it through. The lens sees as much as one
    whose focal length is the picture's longer side.

    Parameters
    ----------
    shape : tuple of int
    brightest : tuple of float
        x and y of the sky's brightest part, in pixels.
    turn : float
        Degrees by which the filter is turned from where it takes most of the sky.
    sky : ndarray, float32 (h, w)
        How far places belong to the sky.
    """
    height, width = shape
    focal = float(max(shape))
    y, x = np.mgrid[:height, :width].astype(np.float64)
    rays = np.stack([x - width / 2, height / 2 - y, np.full(shape, focal)], -1)
    rays /= np.linalg.norm(rays, axis=-1, keepdims=True)
    light = np.array([brightest[0] - width / 2, height / 2 - brightest[1], focal])
    light /= np.linalg.norm(light)
    cosine = rays @ light
    degree = (1 - cosine**2) / (1 + cosine**2)
    across = np.cross(rays, light)
    angle = np.arctan2(across[..., 1], across[..., 0])
    weight = sky * degree
    # Angles of swinging are the same after half a turn.
    most = 0.5 * np.angle((weight * np.exp(2j * angle)).sum())
    taken = degree * np.cos(angle - most - np.radians(turn)) ** 2
    inside = sky > 0.5
    return np.asarray(taken / max(float((degree * inside).max()), 1e-6), np.float32)


def deepened(
    rgb: np.ndarray, around: PlaneContext, turn: float, anywhere: bool = False
) -> tuple[np.ndarray, np.ndarray]:
    """How far the sky of each place is deepened, float32 (h, w), 0 to 1; and nothing that holds for the whole.

    ``anywhere`` takes all of the picture for sky: an area says what is.
    """
    joined, sky = skies(rgb, around)
    whole = np.zeros(0)
    if not anywhere and float(sky.mean()) < 0.003:
        return np.zeros_like(sky), whole
    # The brightest part need not be blue: it is where the sun went down.
    seen = np.maximum(joined, sky)
    seen = seen if (seen > 0.5).any() else np.ones_like(seen)
    light = cv2.GaussianBlur(luminance(rgb) * seen, (0, 0), max(0.02 * max(sky.shape), 1.0))
    y, x = np.argwhere(light >= np.quantile(light[seen > 0.5], 0.99)).mean(0)
    where = np.ones_like(sky) if anywhere else sky
    share = where * polarised(sky.shape, (float(x), float(y)), turn, where)
    return np.clip(share, 0, 1).astype(np.float32), whole


class Sky(ColourStep[SkyParameters]):
    """Darkens and purifies blue, as far as a place belongs to a sky whose light is polarised."""

    name, title, parameters, by = "sky", "Sky", SkyParameters, "picture"
    folded = True

    def change(self, parameters, scene, cleaned):
        p = parameters
        if not p.strength:
            return None

        def change(colours: Colours) -> Colours:
            # Lamps and clouds before the sky are none of it.
            share = arc(colours.hue, BLUE, _WIDTH, _SOFT)
            return colours.scaled(1 + share * _PURER * p.strength * p.purity / 100).brightened(-p.strength * share)

        return change

    def act(self, program: Program, parameters: SkyParameters, scene: SceneLight) -> None:
        self._off_water(program, parameters.reflections, False)
        super().act(program, parameters, scene)

    def _off_water(self, program: Program, percent: float, anywhere: bool) -> None:
        """Darken by what a filter takes off water, or off all that lies below the horizon."""
        if percent:
            field = GuidedField(
                "mirrored", (anywhere,), _SHARP, lambda rgb, around: mirrored(rgb, around, anywhere), SIDE
            )
            program.recolour(lambda colours: colours.brightened(-_MIRRORED * percent / 100), self.by, field)

    def bend(self, program: Program, bends: Mapping[str, float], parameters: SkyParameters, scene: SceneLight) -> None:
        """Within an area what is deepened more is all of its mask, and not the blue of skies that reach the border."""
        self._off_water(program, bends.get("reflections", 0.0), True)
        more = max(bends.get("strength", 0.0), 0.0)
        super().bend(program, {**bends, "strength": bends.get("strength", 0.0) - more}, parameters, scene)
        if more:
            purity = self.bent(parameters, {"purity": bends.get("purity", 0.0)}).purity
            factor = 1 + _PURER * more * purity / 100
            field = self._field(parameters.turn, True)
            program.recolour(lambda colours: colours.scaled(factor).brightened(-more), self.by, field)

    def carried(self, parameters):
        return self._field(parameters.turn, False)

    @staticmethod
    def _field(turn: float, anywhere: bool) -> GuidedField:
        depends = turn, anywhere
        return GuidedField("sky", depends, _REACH, lambda rgb, around: deepened(rgb, around, *depends), _SIDE)
