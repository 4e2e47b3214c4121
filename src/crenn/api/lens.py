"""The lens of a scene: what is known of it, the list to choose from, and what the picture itself tells."""

import cv2
import numpy as np
from fastapi import APIRouter, Depends, Query

from crenn.api.context import Settings, settings
from crenn.api.scenes import prepared_of
from crenn.api.schemas import BentIn, DistortionOut, FalloffOut, LensIn, LensOut, LensPlotOut, PathId, SceneLensOut
from crenn.core.errors import CrennError
from crenn.core.lens.bent import distortion_by
from crenn.core.lens.correction import LONGEST
from crenn.core.lens.database import KnownLens, lens_of, search
from crenn.core.lens.falloff import MEASURED, measure_falloff
from crenn.core.lens.profile import radii
from crenn.core.pipeline.compile import framed
from crenn.core.pipeline.fringes import Fringes
from crenn.core.render.pyramid import PreparedScene
from crenn.core.treatment import LENS

router = APIRouter(prefix="/api", tags=["lens"])
#: Radii of the plot.
_PLOTTED = np.linspace(0, 1, 33)
#: Edges are followed on a picture of at most this longer side.
_FOLLOWED = 6000


def _shown(lens: KnownLens) -> LensOut:
    return LensOut(**vars(lens))


@router.get("/scenes/{scene_id}/lenses")
def lenses(
    scene_id: PathId, text: str = Query("", max_length=LONGEST), config: Settings = Depends(settings)
) -> list[LensOut]:
    """Lenses of the database whose names hold all words of a text; those that fit the scene's camera first."""
    return [_shown(lens) for lens in search(text, prepared_of(scene_id, config).light.capture)]


@router.post("/scenes/{scene_id}/lens")
def scene_lens(scene_id: PathId, body: LensIn, config: Settings = Depends(settings)) -> SceneLensOut:
    """What is known of the scene's lens under the parameters of a treatment's lens, and what they take back."""
    scene = prepared_of(scene_id, config)
    capture = scene.light.capture
    values = LENS.resolved(body.lens, scene.light)
    lens = lens_of(values.profile, capture)
    note, plot = None, None
    try:
        profile = LENS.profile(values, capture, scene.size)
    except CrennError as fault:
        note = str(fault)
    else:
        # What the merge has taken back already is part of what is taken back.
        taken = capture.fringes or Fringes()
        fringes = [profile.drawn[c] / profile.drawn[1] * taken.factor(radii(), c) - 1 for c in (0, 2)]
        at = [np.interp(_PLOTTED, radii(), line) for line in (profile.drawn[1] - 1, *fringes)]
        plot = LensPlotOut(
            radius=_PLOTTED.round(4).tolist(),
            distortion=(at[0] * 100).round(4).tolist(),
            red=(at[1] * 1000).round(4).tolist(),
            blue=(at[2] * 1000).round(4).tolist(),
            falloff=profile.falloff_at(_PLOTTED).round(4).tolist(),
        )
    return SceneLensOut(
        told=capture.lens,
        focal_length=capture.focal_length,
        aperture=capture.aperture,
        lens=_shown(lens) if lens is not None else None,
        fringes=(scene.report.get("capture") or {}).get("fringes", {}).get("by") if capture.fringes else None,
        note=note,
        plot=plot,
    )


def _reduced(scene: PreparedScene, side: int) -> tuple[np.ndarray, float]:
    """The scene's light at most ``side`` pixels long, and how many of them one of the scene's has."""
    level = np.asarray(scene.read(scene.level_for(min(side / max(scene.size), 1.0))))
    scale = min(side / max(level.shape[:2]), 1.0)
    if scale < 1:
        level = cv2.resize(level, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return level, max(level.shape[:2]) / max(scene.size)


@router.post("/scenes/{scene_id}/lens/falloff")
def lens_falloff(scene_id: PathId, config: Settings = Depends(settings)) -> FalloffOut:
    """How much too dark the picture itself says that its corners are; nothing is changed."""
    scene = prepared_of(scene_id, config)
    rgb, scale = _reduced(scene, MEASURED)
    middle, half = scene.light.capture.middle(scene.size)
    falloff, steepness = measure_falloff(rgb, scene.floor, middle * scale, half * scale)
    return FalloffOut(falloff=round(falloff, 2), steepness=round(steepness, 2))


@router.post("/scenes/{scene_id}/lens/distortion")
def lens_distortion(scene_id: PathId, body: BentIn, config: Settings = Depends(settings)) -> DistortionOut:
    """The distortion by which edges that were drawn along become straight; nothing is changed."""
    scene = prepared_of(scene_id, config)
    rgb, scale = _reduced(scene, _FOLLOWED)

    def straightened(places: np.ndarray, distortion: float) -> np.ndarray:
        parameters = body.lens.model_copy(update={"on": True, "distortion": distortion})
        frame = framed([(LENS, parameters)], scene.size, scene.light)
        return frame.to_plane(places / scale) * scale

    found = distortion_by(rgb, np.array(body.lines) * max(scene.size) * scale, straightened)
    return DistortionOut(distortion=round(found, 2))
