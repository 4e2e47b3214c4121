"""Noise of a scene: split off, told by stop, checked, and fitted for its camera."""

from typing import Any

import numpy as np
from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from crenn.api.context import Settings, settings
from crenn.api.scenes import on_renderer, prepared_of
from crenn.api.schemas import Body, JobOut, PathId
from crenn.core.errors import CrennError, Missing
from crenn.core.frames.camera_noise import Box, CameraNoise
from crenn.core.noise.check import check_noise
from crenn.core.noise.layers import TAKEN
from crenn.core.render.renderer import Renderer
from crenn.core.render.signal import Reach, Signal, reach_of, signal
from crenn.core.treatment import parse_treatment
from crenn.jobs.queue import add_job
from crenn.store.camera_noise import forget_models, kept_models
from crenn.store.models import Scene

router = APIRouter(prefix="/api", tags=["noise"])
#: A box is looked at up to this side, in pixels.
_MOST = 1024


class SignalIn(Body):
    """A treatment, and how large its picture will be: pixels of the longer side, full size if none."""

    document: dict[str, Any]
    long_edge: int | None = Field(None, ge=16, le=200_000)


class ReachOut(BaseModel):
    """How far down a picture can be used."""

    horizon: float = Field(description="noise horizon: stop below which signal to noise is under 12 dB")
    lifted: float = Field(description="lowest stop whose noise does not show when it is lifted to middle grey")
    ev: float = Field(description="by which that stop is lifted then")
    snr_db: list[float | None] = Field(description="signal to noise in each bin of the scene's histogram, dB")
    liftable: list[float | None] = Field(description="EV by which each bin can be lifted before its noise shows")


class SignalOut(BaseModel):
    """Signal to noise in a picture of a size, in smooth places outside all areas."""

    before: ReachOut
    after: ReachOut | None = Field(description="with noise taken out; none until it has been split off")


class BoxIn(Body):
    """A box of the scene: x, y, width and height in shares of its longer side."""

    box: Box


class CheckOut(BaseModel):
    """Measured against predicted noise of a place, by colour: red, green, blue; deviations of light."""

    stop: float
    measured: list[float]
    predicted: list[float]
    ratio: list[float]
    left: list[float] | None = Field(description="deviation that is left with all noise taken out")
    smooth: bool = Field(description="whether it shows noise and nothing else")


class FitIn(Body):
    """Smooth places of the scene to fit its camera's noise on; the smoothest of all if none are given."""

    boxes: list[Box] = Field(default_factory=list, max_length=100)


def _merged(session: Session, scene_id: int) -> Scene:
    scene = session.get(Scene, scene_id)
    if scene is None:
        raise Missing("This scene is no longer in the library.")
    if not scene.prepared:
        raise CrennError("This scene has not been merged yet.", remedy="Merge it first.")
    return scene


@router.post("/scenes/{scene_id}/noise", status_code=202)
def split_noise(scene_id: PathId, config: Settings = Depends(settings)) -> JobOut:
    """Split the noise off a merged scene; it is done after every merge anyway, unless that was cancelled."""
    with config.database.session() as session:
        job = add_job(session, "noise", _merged(session, scene_id).id)
        session.commit()
        return JobOut.model_validate(job)


def _numbers(values: np.ndarray) -> list[float | None]:
    return [round(float(v), 2) if np.isfinite(v) else None for v in values]


def _told(found: Signal, snr: np.ndarray, reach: Reach) -> ReachOut:
    liftable = Signal.liftable(found.stops, snr)
    return ReachOut(**vars(reach), snr_db=_numbers(snr), liftable=_numbers(liftable))


@router.post("/scenes/{scene_id}/noise/signal")
def noise_signal(scene_id: PathId, body: SignalIn, request: Request) -> SignalOut:
    """Signal to noise by stop in a treatment's picture of a size, before and after noise is taken out."""
    treatment = parse_treatment(body.document)

    def work(renderer: Renderer) -> SignalOut:
        # The page asks as soon as it is told that noise has been split off.
        renderer.scene.look()
        found = signal(renderer, treatment, body.long_edge)
        report = renderer.scene.report
        ends = float(report["low_stop"]), float(report["high_stop"])
        before, after = (
            None if snr is None else _told(found, snr, reach_of(found, snr, ends))
            for snr in (found.before, found.after)
        )
        assert before is not None
        return SignalOut(before=before, after=after)

    return on_renderer(request, scene_id, work)


@router.post("/scenes/{scene_id}/noise/check")
def check(scene_id: PathId, body: BoxIn, config: Settings = Depends(settings)) -> CheckOut:
    """Hold the predicted noise against that of a smooth place."""
    prepared = prepared_of(scene_id, config)
    if not prepared.has("sigma"):
        raise CrennError("Nothing predicts the noise of this scene.", remedy="Merge it from its frames.")
    height, width = prepared.size
    long_side = max(prepared.size)
    x, y, w, h = (v * long_side for v in body.box)
    left, top = (int(np.clip(round(v), 0, n)) for v, n in ((x, width), (y, height)))
    right, bottom = (int(np.clip(round(v), 0, n)) for v, n in ((x + w, width), (y + h, height)))
    if right <= left or bottom <= top:
        raise CrennError("This box lies outside the picture.", remedy="Draw one inside.")
    where = slice(top, min(bottom, top + _MOST)), slice(left, min(right, left + _MOST))
    if prepared.has("clipped") and (prepared.plane("clipped", *where) > 0).mean() > 0.01:
        raise CrennError("This place is clipped in every frame.", remedy="Draw the box on a darker one.")
    light = np.asarray(prepared.read(0, *where))
    noise = prepared.noise
    clean = None
    if noise is not None and noise.whole:
        clean = light - np.asarray(prepared.read_noise(0, *where)[..., TAKEN], np.float32)
    found = check_noise(light, np.asarray(prepared.plane("sigma", *where)), clean)

    return CheckOut(
        stop=round(found.stop, 2),
        measured=found.measured.tolist(),
        predicted=found.predicted.tolist(),
        ratio=found.ratio.tolist(),
        left=None if found.left is None else found.left.tolist(),
        smooth=found.smooth,
    )


@router.post("/scenes/{scene_id}/noise/model", status_code=202)
def fit_model(scene_id: PathId, body: FitIn, config: Settings = Depends(settings)) -> JobOut:
    """Fit the noise of the scene's camera on its frames; it holds from the next merge for all of that camera."""
    with config.database.session() as session:
        scene = _merged(session, scene_id)
        job = add_job(session, "fit", scene.id, options={"boxes": body.model_dump()["boxes"]})
        session.commit()
        return JobOut.model_validate(job)


def _camera(session: Session, scene_id: int) -> tuple[str, str]:
    """Make and model of a scene's camera."""
    capture = (_merged(session, scene_id).report or {}).get("capture") or {}
    return capture.get("make", ""), capture.get("model", "")


@router.get("/scenes/{scene_id}/noise/model")
def models(scene_id: PathId, config: Settings = Depends(settings)) -> list[CameraNoise]:
    """Noise models that are kept for the scene's camera."""
    with config.database.session() as session:
        camera = _camera(session, scene_id)
        return [m for m in kept_models(session) if (m.make, m.model) == camera]


@router.delete("/scenes/{scene_id}/noise/model", status_code=204)
def forget_model(scene_id: PathId, config: Settings = Depends(settings)) -> None:
    """Forget the noise models kept for the scene's camera; its files' own hold again from the next merge."""
    with config.database.session() as session:
        forget_models(session, *_camera(session, scene_id))
        session.commit()
