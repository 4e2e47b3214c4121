"""The history of a scene: what was done, marks, and takes."""

from collections.abc import Callable
from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request, Response
from pydantic import BaseModel, Field

from crenn.api.context import Settings, settings
from crenn.api.scenes import moved, on_renderer, scene_of
from crenn.api.schemas import Body, Id, PathId, TreatmentState
from crenn.core.files import as_jpeg
from crenn.core.merge.instructions import Words
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment
from crenn.store import history, takes
from crenn.store.models import Scene

router = APIRouter(prefix="/api", tags=["history"])
Name = Annotated[Words, Field(min_length=1, max_length=60)]


class EntryOut(BaseModel):
    """One change of a scene, or several moves of one dial."""

    revision: int
    label: str
    station: str | None = Field(description="where it was made, as far as what it changed tells")
    created: datetime
    place: str = Field(description="done; ahead, as far as redo goes; or on a branch that was left")
    here: bool = Field(description="whether the scene stands there")
    marks: list[str] = Field(description="names of the states that were kept there")
    moves: int = Field(description="how many changes it stands for")


class MarkOut(BaseModel):
    """A state that was kept by a name."""

    name: str
    revision: int


class TakeOut(BaseModel):
    """One of several treatments of a scene."""

    id: int
    name: str
    revision: int
    here: bool = Field(description="whether it is the one that is worked on, and delivered")


class HistoryOut(BaseModel):
    """What was done in the take that is worked on, its marks, and all takes; the oldest first."""

    entries: list[EntryOut]
    marks: list[MarkOut]
    takes: list[TakeOut]


class BackIn(Body):
    """A state to have again, and what that is called in the history."""

    revision: Id
    label: Words = Field(max_length=200)


class MarkIn(Body):
    """A name for a state; the present one if none is told."""

    name: Name
    revision: Id | None = None


class NameIn(Body):
    """A name."""

    name: Name


def _told(config: Settings, scene_id: int, change: Callable[..., object] | None = None, *given: object) -> HistoryOut:
    """The history, once something has been changed."""
    with config.database.session() as session:
        if change is not None:
            change(session, scene_id, *given)
            session.commit()
        scene = scene_of(session, scene_id)
        return HistoryOut(
            entries=[EntryOut(**{**vars(e), "marks": list(e.marks)}) for e in history.history(session, scene)],
            marks=[MarkOut(name=m.name, revision=m.revision_id) for m in history.marks_of(session, scene.take)],
            takes=[
                TakeOut(id=t.id, name=t.name, revision=t.revision_id or 0, here=t.id == scene.take_id)
                for t in takes.takes_of(session, scene)
            ],
        )


@router.get("/scenes/{scene_id}/history")
def scene_history(scene_id: PathId, config: Settings = Depends(settings)) -> HistoryOut:
    """What was done in a scene."""
    return _told(config, scene_id)


@router.get("/scenes/{scene_id}/states/{revision}")
def scene_state(scene_id: PathId, revision: PathId, config: Settings = Depends(settings)) -> Treatment:
    """The treatment of a state of a scene."""
    with config.database.session() as session:
        return history.state(session, scene_of(session, scene_id), revision)


@router.get(
    "/scenes/{scene_id}/states/{revision}/picture.jpg",
    response_class=Response,
    responses={200: {"content": {"image/jpeg": {}}}},
)
def state_picture(
    scene_id: PathId,
    revision: PathId,
    request: Request,
    side: Annotated[int, Query(ge=16, le=400)] = 160,
) -> Response:
    """A small picture of a state of a scene, as it is merged now."""
    config: Settings = request.app.state.settings
    with config.database.session() as session:
        treatment = history.state(session, scene_of(session, scene_id), revision)
    return Response(
        on_renderer(request, scene_id, lambda r: small_picture(r, treatment, side)), media_type="image/jpeg"
    )


def small_picture(renderer: Renderer, treatment: Treatment, side: int) -> bytes:
    """A small JPEG of a treatment's picture."""
    window = Window.whole(renderer.frame(treatment).size, side)
    return as_jpeg(renderer.picture(treatment, window, fine=False)[0], 85)


@router.post("/scenes/{scene_id}/back")
def back(scene_id: PathId, body: BackIn, config: Settings = Depends(settings)) -> TreatmentState:
    """Have a state again, as a change like any other."""
    return moved(config, scene_id, lambda session, number: history.back_to(session, number, body.revision, body.label))


@router.put("/scenes/{scene_id}/marks")
def keep_mark(scene_id: PathId, body: MarkIn, config: Settings = Depends(settings)) -> HistoryOut:
    """Keep a state by a name; one of that name is replaced."""
    return _told(config, scene_id, history.keep, body.name, body.revision)


@router.post("/scenes/{scene_id}/marks/forget")
def forget_mark(scene_id: PathId, body: NameIn, config: Settings = Depends(settings)) -> HistoryOut:
    """Forget a mark; the state itself stays in the history."""
    return _told(config, scene_id, history.forget, body.name)


@router.post("/scenes/{scene_id}/takes")
def begin_take(scene_id: PathId, body: MarkIn, config: Settings = Depends(settings)) -> TreatmentState:
    """Begin another take from a state, and work on it."""
    return moved(config, scene_id, lambda session, number: takes.new_take(session, number, body.name, body.revision))


@router.get("/scenes/{scene_id}/takes/{take_id}")
def scene_take(scene_id: PathId, take_id: PathId, config: Settings = Depends(settings)) -> Treatment:
    """The treatment that a take stands at."""
    with config.database.session() as session:
        scene: Scene = scene_of(session, scene_id)
        return takes.treatment_of_take(session, scene, takes.take_of(session, scene, take_id))


@router.post("/scenes/{scene_id}/takes/{take_id}/choose")
def choose_take(scene_id: PathId, take_id: PathId, config: Settings = Depends(settings)) -> TreatmentState:
    """Work on a take from now on."""
    return moved(config, scene_id, lambda session, number: takes.choose(session, number, take_id))


@router.patch("/scenes/{scene_id}/takes/{take_id}")
def rename_take(scene_id: PathId, take_id: PathId, body: NameIn, config: Settings = Depends(settings)) -> HistoryOut:
    """Give a take another name."""
    return _told(config, scene_id, takes.rename, take_id, body.name)


@router.delete("/scenes/{scene_id}/takes/{take_id}")
def remove_take(scene_id: PathId, take_id: PathId, config: Settings = Depends(settings)) -> HistoryOut:
    """Take a take away."""
    return _told(config, scene_id, takes.remove, take_id)
