"""Series of a shoot: what they are, their key scenes, treating all of one by those, and films."""

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.api.context import Settings, settings
from crenn.api.library import picture_version
from crenn.api.schemas import Body, Id, JobOut, PathId
from crenn.core.errors import CrennError
from crenn.core.frames.intervals import Series
from crenn.core.series.film import Film
from crenn.jobs.queue import add_job
from crenn.store.models import Job, Scene
from crenn.store.series import measured, series_of, take_back, treated_along

router = APIRouter(prefix="/api", tags=["series"])
#: Films that are listed.
_FILMS = 20


class MemberOut(BaseModel):
    """A scene of a series."""

    id: int
    title: str
    taken: datetime | None
    at: float = Field(description="seconds since the first")
    frames: int
    ready: bool
    picture_version: str | None
    key: bool = Field(description="whether the series goes by its treatment")


class GapOut(BaseModel):
    """Scenes that are missing in the midst of a series."""

    after: int = Field(description="place in the series")
    count: int


class LightOut(BaseModel):
    """The light of a series, in EV beside its first scene: as it was measured, and without flicker."""

    curve: list[float]
    smooth: list[float]
    treated: int = Field(description="scenes that stand as they were treated by that")


class SeriesOut(BaseModel):
    """Scenes at even intervals."""

    interval: float = Field(description="seconds from one scene to the next")
    members: list[MemberOut]
    missing: list[GapOut]
    set_back: list[int] = Field(description="places after which the camera's clock was set back")
    light: LightOut | None = Field(description="none before it was looked at")


class SceneList(Body):
    """A series, by its scenes in the order of time."""

    scenes: Annotated[list[Id], Field(min_length=2, max_length=20_000)]


class SeriesIn(SceneList):
    """A series, and what is done with it."""

    treat: bool = Field(True, description="whether scenes are treated, or their light is looked at alone")


class FilmIn(SceneList):
    """A series, and what its film is to be like."""

    film: Film = Field(default_factory=Film)


@router.get("/shoots/{shoot_id}/series")
def series(shoot_id: PathId, config: Settings = Depends(settings)) -> list[SeriesOut]:
    """The series of a shoot: scenes of one camera and view at even intervals."""
    with config.database.session() as session:
        return [
            SeriesOut(
                interval=one.interval,
                members=[_member(scene, at) for scene, at in zip(scenes, one.times)],
                missing=[GapOut(after=after, count=count) for after, count in one.missing],
                set_back=list(one.set_back),
                light=_light(session, shoot_id, [scene.id for scene in scenes]),
            )
            for one, scenes in series_of(session, shoot_id)
        ]


def _member(scene: Scene, at: float) -> MemberOut:
    taken = [frame.taken for frame in scene.frames if frame.taken is not None]
    return MemberOut(
        id=scene.id,
        title=scene.title,
        taken=min(taken, default=None),
        at=at,
        frames=len(scene.frames),
        ready=scene.prepared is not None,
        picture_version=picture_version(scene),
        key=scene.series_key,
    )


def _light(session: Session, shoot_id: int, scenes: list[int]) -> LightOut | None:
    found = measured(session, shoot_id, scenes)
    if found is None:
        return None
    return LightOut(curve=found["curve"], smooth=found["smooth"], treated=len(treated_along(session, scenes)))


@router.post("/shoots/{shoot_id}/series")
def treat(shoot_id: PathId, body: SeriesIn, config: Settings = Depends(settings)) -> JobOut:
    """Look at the light of a series and, unless it is told not to, treat all of its scenes by its keys."""
    with config.database.session() as session:
        one = _named(series_of(session, shoot_id), body.scenes)
        options = {"scenes": body.scenes, "times": list(one.times), "treat": body.treat}
        job = add_job(session, "series", shoot_id=shoot_id, options=options)
        session.commit()
        return JobOut.model_validate(job)


@router.post("/shoots/{shoot_id}/series/back")
def take_series_back(shoot_id: PathId, body: SceneList, config: Settings = Depends(settings)) -> int:
    """Take back what the scenes of a series were treated with, where nothing was done since; how many scenes."""
    with config.database.session() as session:
        _named(series_of(session, shoot_id), body.scenes)
        count = take_back(session, body.scenes)
        session.commit()
        return count


@router.post("/shoots/{shoot_id}/films")
def film(shoot_id: PathId, body: FilmIn, config: Settings = Depends(settings)) -> JobOut:
    """Render a series, as its scenes are treated now, into a film to download."""
    with config.database.session() as session:
        _named(series_of(session, shoot_id), body.scenes)
        options = {"scenes": body.scenes, "film": body.film.model_dump(mode="json")}
        job = add_job(session, "film", shoot_id=shoot_id, options=options)
        session.commit()
        return JobOut.model_validate(job)


@router.get("/shoots/{shoot_id}/films")
def films(shoot_id: PathId, config: Settings = Depends(settings)) -> list[JobOut]:
    """Films of a shoot, the newest first."""
    with config.database.session() as session:
        found = select(Job).where(Job.shoot_id == shoot_id, Job.kind == "film").order_by(Job.id.desc()).limit(_FILMS)
        return [JobOut.model_validate(job) for job in session.execute(found).scalars()]


def _named(known: list[tuple[Series, list[Scene]]], scenes: list[int]) -> Series:
    """The series that has just these scenes."""
    for one, members in known:
        if [scene.id for scene in members] == scenes:
            return one
    raise CrennError("These scenes are no longer a series of this shoot.", remedy="Look at the shoot again.")
