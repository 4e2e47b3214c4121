"""Files to download: what scenes are delivered as, kept sets of that, and the files."""

from pathlib import Path
from typing import Annotated, Any, Self

from fastapi import APIRouter, Depends, Query
from fastapi.responses import FileResponse, Response, StreamingResponse
from pydantic import Field, model_validator
from sqlalchemy import select

from crenn.api.context import Settings, settings
from crenn.api.scenes import scene_of
from crenn.api.schemas import Body, Id, JobOut, PathId
from crenn.api.sending import sent_as
from crenn.core.archive import archived
from crenn.core.areas.part import Id as AreaId
from crenn.core.basis import basis_of
from crenn.core.deliver.naming import apart, named
from crenn.core.deliver.output import Output
from crenn.core.deliver.xmp import treatment_of_packet
from crenn.core.errors import CrennError, Missing
from crenn.core.merge.instructions import Words
from crenn.core.treatment import Treatment
from crenn.jobs.queue import add_job
from crenn.jobs.recovery import LISTED
from crenn.store.models import Job
from crenn.store.output_sets import OutputSet, forget_set, keep_set, output_sets
from crenn.store.takes import take_of

router = APIRouter(prefix="/api", tags=["deliveries"])
Outputs = Annotated[list[Output], Field(max_length=20)]


class DeliveryIn(Body):
    """What to deliver of a scene: files of its picture, or the mask of an area."""

    outputs: Outputs = Field(default_factory=list)
    set: str = Field("", max_length=60, description="the outputs' name as a set, for names of files")
    take: Id | None = Field(None, description="of the scene; the one that is worked on if none is told")
    mask: AreaId | None = Field(None, description="id of an area: its mask, as a grey PNG of 16 bits")

    @model_validator(mode="after")
    def _something(self) -> Self:
        if not self.outputs and self.mask is None:
            raise ValueError("nothing is to be delivered: name an output")
        for output in self.outputs:
            _checked(output)
        return self


class ManyIn(Body):
    """Scenes to deliver, each as it stands."""

    scenes: Annotated[list[Id], Field(min_length=1, max_length=2000)]
    outputs: Annotated[list[Output], Field(min_length=1, max_length=20)]
    set: str = Field("", max_length=60)


class SetNameIn(Body):
    """A name of a set."""

    name: str = Field(min_length=1, max_length=60)


def _checked(output: Output) -> None:
    """A `ValueError` if an output's name cannot be one."""
    try:
        named(output.name, {"title": "scene"}, output.format)
    except CrennError as fault:
        raise ValueError(str(fault)) from None


@router.post("/scenes/{scene_id}/deliveries")
def deliver(scene_id: PathId, body: DeliveryIn, config: Settings = Depends(settings)) -> list[JobOut]:
    """Render the scene into files to download: a job for each."""
    with config.database.session() as session:
        found = scene_of(session, scene_id)
        if not found.prepared:
            raise CrennError("This scene has not been merged yet.", remedy="Merge it first.")
        take = found.take if body.take is None else take_of(session, found, body.take)
        common = {"revision": take.revision_id, "set": body.set, "take": take.name}
        wanted: list[dict[str, Any]] = [{"output": output.model_dump(mode="json")} for output in body.outputs]
        wanted += [] if body.mask is None else [{"mask": body.mask}]
        jobs = [add_job(session, "deliver", scene_id=scene_id, options=common | one) for one in wanted]
        session.commit()
        return [JobOut.model_validate(job) for job in jobs]


@router.post("/deliveries")
def deliver_many(body: ManyIn, config: Settings = Depends(settings)) -> list[JobOut]:
    """Render scenes into files, one after the other; those that have not been merged are passed over."""
    with config.database.session() as session:
        jobs = []
        for place, number in enumerate(dict.fromkeys(body.scenes), 1):
            found = scene_of(session, number)
            if not found.prepared:
                continue
            common = {"revision": found.take.revision_id, "set": body.set, "take": found.take.name, "place": place}
            for output in body.outputs:
                options = common | {"output": output.model_dump(mode="json")}
                jobs.append(add_job(session, "deliver", scene_id=number, options=options))
        if not jobs:
            raise CrennError("None of these scenes has been merged yet.", remedy="Merge them first.")
        session.commit()
        return [JobOut.model_validate(job) for job in jobs]


@router.get("/scenes/{scene_id}/deliveries")
def deliveries(scene_id: PathId, config: Settings = Depends(settings)) -> list[JobOut]:
    """What was delivered from the scene, the newest first."""
    with config.database.session() as session:
        jobs = session.execute(
            select(Job).where(Job.scene_id == scene_id, Job.kind == "deliver").order_by(Job.id.desc()).limit(LISTED)
        ).scalars()
        return [JobOut.model_validate(j) for j in jobs]


def _file(config: Settings, job: Job | None) -> tuple[Path, str]:
    """A delivered file, and what it is called."""
    if job is None or job.kind not in ("deliver", "film") or job.state != "done" or not job.result:
        raise Missing("This delivery is not finished.")
    path = config.library.delivery(job.id, job.result["format"])
    if not path.exists():
        raise Missing("The delivered file is gone.", remedy="Deliver it again.")
    return path, job.result["name"]


@router.get("/deliveries/{job_id}/file", response_class=FileResponse)
def delivery_file(job_id: PathId, config: Settings = Depends(settings)) -> FileResponse:
    """Download a delivered file."""
    with config.database.session() as session:
        path, name = _file(config, session.get(Job, job_id))
    return FileResponse(path, filename=name)


@router.get("/deliveries.zip", response_class=StreamingResponse)
def delivery_zip(
    job: Annotated[list[Id], Query(min_length=1, max_length=500)], config: Settings = Depends(settings)
) -> Response:
    """Download several delivered files as one; their pictures are packed already."""
    with config.database.session() as session:
        files = [_file(config, session.get(Job, number)) for number in dict.fromkeys(job)]
    names = apart([name for _, name in files])
    return sent_as("crenn.zip", archived(zip(names, (path for path, _ in files))))


class CarriedIn(Body):
    """What a delivered file tells of itself: its XMP packet."""

    name: Words = Field("", max_length=300, description="of the file, for messages")
    packet: str = Field(max_length=12_000_000)


@router.post("/scenes/{scene_id}/carried")
def carried(scene_id: PathId, body: CarriedIn, config: Settings = Depends(settings)) -> Treatment:
    """The treatment that a delivered file carries, with its places where they lie in this scene; nothing is stored."""
    found = treatment_of_packet(body.packet.encode("utf-8", "replace"), body.name or None)
    with config.database.session() as session:
        return found.in_basis(*basis_of(scene_of(session, scene_id).report))


@router.get("/outputs")
def kept_outputs(config: Settings = Depends(settings)) -> list[OutputSet]:
    """Sets of outputs that were kept, and those that ship."""
    with config.database.session() as session:
        return output_sets(session)


@router.put("/outputs")
def keep_outputs(body: OutputSet, config: Settings = Depends(settings)) -> list[OutputSet]:
    """Keep a set of outputs, in place of one of its name."""
    with config.database.session() as session:
        keep_set(session, body)
        session.commit()
        return output_sets(session)


@router.post("/outputs/forget")
def forget_outputs(body: SetNameIn, config: Settings = Depends(settings)) -> list[OutputSet]:
    """Forget a set of the library's own."""
    with config.database.session() as session:
        forget_set(session, body.name)
        session.commit()
        return output_sets(session)
