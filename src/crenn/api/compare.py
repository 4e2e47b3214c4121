"""What steps do to a picture."""

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field, field_validator

from crenn.api.scenes import on_renderer
from crenn.api.schemas import LightIn, PathId
from crenn.core.render.contribution import Contributions
from crenn.core.treatment import STEPS, parse_treatment

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
