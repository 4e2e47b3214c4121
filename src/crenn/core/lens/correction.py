"""Lens: its distortion, lateral colour and fall-off taken back, by its profile and by hand."""

from dataclasses import replace

import numpy as np
from pydantic import Field

from crenn.core.lens.database import profile_of
from crenn.core.lens.profile import LensProfile
from crenn.core.pipeline.picture_geometry import LensMap, PictureGeometry
from crenn.core.pipeline.scene import Capture, SceneLight
from crenn.core.pipeline.step import FrameStep, StepParameters, dial, number

#: Longest name of a lens.
LONGEST = 200


class LensParameters(StepParameters):
    profile: str | None = Field(
        None,
        max_length=LONGEST,
        title="Lens",
        description="The lens, as the database calls it. By default the one that the frames tell of; none if empty.",
    )
    focal_length: float | None = number(None, "mm", 1, 2000, "Focal length", "By default what the frames tell.")
    aperture: float | None = number(None, "f/", 0.5, 64, "Aperture", "By default what the frames tell.")
    distortion_amount: float = dial(
        100, "%", 0, 150, 1, "Straighten", "How much of the distortion that the profile knows is taken back."
    )
    fringes_amount: float = dial(
        100, "%", 0, 150, 1, "Take fringes", "How much of the lateral colour that the profile knows is taken back."
    )
    falloff_amount: float = dial(
        100, "%", 0, 150, 1, "Lift corners", "How much of the fall-off that the profile knows is taken back."
    )
    distortion: float = dial(
        0.0,
        "%",
        -15,
        15,
        0.05,
        "Distortion",
        "How far outwards the corners were drawn; inwards below nothing, as a barrel.",
        usual=False,
    )
    red: float = dial(
        0.0,
        "‰",
        -5,
        5,
        0.01,
        "Red",
        "How much larger than green the lens drew red: takes back fringes of red and cyan.",
        usual=False,
    )
    blue: float = dial(
        0.0,
        "‰",
        -5,
        5,
        0.01,
        "Blue",
        "How much larger than green the lens drew blue: takes back fringes of blue and yellow.",
        usual=False,
    )
    falloff: float = dial(
        0.0,
        "EV",
        -2,
        4,
        0.05,
        "Fall-off",
        "How much too dark the corners are.",
        usual=False,
    )
    steepness: float = dial(
        2.0,
        "power",
        1,
        8,
        0.1,
        "Steepness",
        "How late the fall-off begins: the power of the radius by which it grows.",
        usual=False,
    )


class LensCorrection(FrameStep[LensParameters]):
    """A radial map behind everything else, for each colour its own, and light given back to the corners."""

    name, station, title, parameters = "lens", "geometry", "Lens", LensParameters
    folded = True

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        told = scene.capture
        known = {"focal_length": told.focal_length, "aperture": told.aperture}
        return {name: value for name, value in known.items() if value is not None}

    def profile(self, parameters: LensParameters, capture: Capture, size: tuple[int, int]) -> LensProfile:
        """What the parameters say that the lens did to a scene of size (H, W).

        Raises
        ------
        CrennError
            If the lens is not in the database, or its settings are not known.
        """
        p = parameters
        known = profile_of(p.profile, p.focal_length, p.aperture, capture, size)
        distortion, fringes, falloff = (v / 100 for v in (p.distortion_amount, p.fringes_amount, p.falloff_amount))
        if capture.fringes is None:
            left = known.scaled(distortion, fringes, falloff)
        elif p.profile and known.by_colour:
            left = known.scaled(distortion, fringes, falloff).less_fringes(capture.fringes)
        else:
            # What the merge has taken back is the lens's own: only what was not asked for is put back.
            left = known.scaled(distortion, 0.0, falloff).with_fringes(capture.fringes.times(fringes - 1))
        return left.with_hand(p.distortion / 100, p.red / 1000, p.blue / 1000, p.falloff, p.steepness)

    def frame(self, frame: PictureGeometry, parameters: LensParameters, scene: SceneLight) -> PictureGeometry:
        profile = self.profile(parameters, scene.capture, frame.scene)
        darkens = bool(profile.falloff.any())
        if not profile.moves and not darkens:
            return frame
        middle, half = scene.capture.middle(frame.scene)

        def recorded(points: np.ndarray, channel: int) -> np.ndarray:
            out = np.asarray(points, np.float64) - middle
            return middle + out * profile.factor(np.hypot(*out.T) / half, channel)[:, None]

        def falloff(points: np.ndarray) -> np.ndarray:
            return profile.falloff_at(np.hypot(*(np.asarray(points, np.float64) - middle).T) / half)

        lens = LensMap(
            ("lens", profile.key),
            recorded if profile.moves else None,
            profile.by_colour,
            falloff if darkens else None,
            profile.falloff.tobytes() if darkens else b"",
            scene.capture.to_camera,
        )
        return replace(frame, lens=lens)
