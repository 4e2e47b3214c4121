"""Where the library's disk went, and what of it is let go."""

from pathlib import Path

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field
from sqlalchemy import func, select

from crenn.api.context import Settings, settings
from crenn.api.schemas import Body
from crenn.jobs.letting_go import keep_limits, let_merged_go, let_noise_be
from crenn.store import disk
from crenn.store.disk_limits import DiskLimits, disk_limits, set_disk_limits
from crenn.store.models import Scene

router = APIRouter(prefix="/api", tags=["disk"])


class DiskOut(BaseModel):
    """Bytes of the library by what they are, and what is free."""

    originals: int = Field(description="frames as they were brought in")
    scenes: int = Field(description="merged scenes: can be merged again")
    noise: int = Field(description="noise split off them: can be split off again")
    pictures: int
    deliveries: int = Field(description="delivered files: can be delivered again")
    incoming: int
    free: int
    binned: int = Field(description="scenes in the bin")


class DropIn(Body):
    """What is let go, by its age in days; all of it with 0."""

    scenes: float | None = Field(None, ge=0, le=100_000, description="merged scenes that were not changed for so long")
    deliveries: float | None = Field(None, ge=0, le=100_000, description="delivered files")


class DroppedOut(BaseModel):
    """What was let go."""

    bytes: int
    scenes: int


@router.get("/disk")
def disk_use(config: Settings = Depends(settings)) -> DiskOut:
    """Where the library's disk went."""
    with config.database.session() as session:
        binned = session.execute(select(func.count(Scene.id)).where(Scene.binned)).scalar_one()
    return DiskOut(**disk.used(config.library), binned=binned)


@router.get("/disk/limits")
def limits(config: Settings = Depends(settings)) -> DiskLimits:
    """How much merged scenes and delivered files may take."""
    with config.database.session() as session:
        return disk_limits(session)


@router.put("/disk/limits")
def set_limits(body: DiskLimits, config: Settings = Depends(settings)) -> DroppedOut:
    """Say how much they may take: what was used longest ago goes at once, and whenever it is more again."""
    with config.database.session() as session:
        before = len(disk.merged_scenes(session, config.library))
        set_disk_limits(session, body)
        session.commit()
    freed = keep_limits(config.database, config.library)
    with config.database.session() as session:
        return DroppedOut(bytes=freed, scenes=before - len(disk.merged_scenes(session, config.library)))


@router.post("/disk/drop")
def drop(body: DropIn, config: Settings = Depends(settings)) -> DroppedOut:
    """Let go what can be made again: merged scenes, whose frames and treatments stay, and delivered files."""
    gone: list[Path] = []
    scenes: list[disk.MergedScene] = []
    if body.scenes is not None:
        with config.database.session() as session:
            scenes = disk.unused_since(disk.merged_scenes(session, config.library), body.scenes)
        gone += let_merged_go(config.database, config.library, scenes)
    if body.deliveries is not None:
        gone += disk.deliveries_older(config.library, body.deliveries)
    return DroppedOut(bytes=disk.removed(gone), scenes=len(scenes))


@router.post("/bin/empty")
def empty(config: Settings = Depends(settings)) -> DroppedOut:
    """Delete the scenes in the bin for good: their frames, treatments and delivered files."""
    with config.database.session() as session:
        numbers = disk.in_bin(session)
    let_noise_be(config.database, numbers)
    with config.database.session() as session:
        count, gone = disk.empty_bin(session, config.library)
        session.commit()
    return DroppedOut(bytes=disk.removed(gone), scenes=count)
