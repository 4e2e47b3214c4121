"""What a picture is compared with: itself without some steps, one frame of it, or what the camera made of that."""

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, ConfigDict, Field, field_validator
from sqlalchemy import select

from crenn.api.context import Settings, settings
from crenn.api.scenes import on_renderer, scene_of
from crenn.api.schemas import Id, JobOut, LightIn, PathId
from crenn.core.errors import CrennError
from crenn.core.render.contribution import Contributions
from crenn.core.treatment import STEPS, parse_treatment
from crenn.jobs.queue import ACTIVE, add_job
from crenn.store.models import Job

router = APIRouter(prefix="/api", tags=["compare"])
_NAMES = frozenset(step.name for step in STEPS)
Names = Annotated[list[Annotated[str, Field(max_length=40)]], Field(min_length=1, max_length=len(STEPS))]


class ContributionsIn(LightIn):
    """A treatment, and groups of its steps that are left out, one group after the other."""

    groups: list[Names] = Field(min_length=1, max_length=len(STEPS))

    @field_validator("groups")
    @classmethod
    def _known(cls, groups: list[list[str]]) -> list[list[str]]:
        for name in (name for group in groups for name in group):
            if name not in _NAMES:
                raise ValueError(f"there is no step “{name}”")
        return groups


class ContributionOut(BaseModel):
    """What a group of steps does; see `crenn.core.render.contribution.Contribution`."""

    share: float = Field(description="share of the pixels that change by more than one CIEDE2000")
    delta_e: float = Field(description="mean change in CIEDE2000")
    white: float = Field(description="by how much the share of pixels at white grows")
    black: float = Field(description="by how much the share of pixels at black grows")
    colour: float = Field(description="by how much colourfulness grows, in L*a*b*")
    halo: float = Field(description="mean departure beside strong edges, in L*")
    noise: float = Field(description="grain of the shadows with the steps over that without")
    harm: float = Field(description="clipping in %, halo in L* and twice the stops by which grain grows, added up")


@router.post("/scenes/{scene_id}/contributions")
def contribution(scene_id: PathId, body: ContributionsIn, request: Request) -> list[ContributionOut]:
    """What each group of steps does to a scene's picture; nothing is stored."""
    treatment = parse_treatment(body.document)

    # One after the other: whoever drags a dial meanwhile gets a turn between them.
    told = on_renderer(request, scene_id, lambda renderer: Contributions(renderer, treatment))

    def one(names: list[str]) -> ContributionOut:
        found = on_renderer(request, scene_id, lambda _: told.of(names))
        return ContributionOut(**{k: round(v, 4) for k, v in asdict(found).items()}, harm=round(found.harm, 3))

    return [one(names) for names in body.groups]


class AloneIn(BaseModel):
    """A frame of a scene, or what its camera made of it."""

    model_config = ConfigDict(extra="forbid")
    frame: Id
    camera: bool = Field(False, description="the picture that the camera itself made, instead of the frame")


@router.post("/scenes/{scene_id}/alone")
def alone(scene_id: PathId, body: AloneIn, config: Settings = Depends(settings)) -> JobOut:
    """Prepare a frame by itself, lying as the merged scene does; what has been, or is being, is not made again."""
    with config.database.session() as session:
        found = scene_of(session, scene_id)
        if not found.prepared:
            raise CrennError("This scene has not been merged yet.", remedy="Merge it first.")
        wanted = body.model_dump()
        same = select(Job).where(Job.scene_id == scene_id, Job.kind == "alone", Job.options == wanted)
        for job in session.execute(same.order_by(Job.id.desc()).limit(3)).scalars():
            made = job.result or {}
            there = made.get("merged") == found.prepared and config.library.scene(made["prepared"]).is_dir()
            if job.state in ACTIVE or (job.state == "done" and there):
                return JobOut.model_validate(job)
        job = add_job(session, "alone", scene_id=scene_id, options=wanted)
        session.commit()
        return JobOut.model_validate(job)
