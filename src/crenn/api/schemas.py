"""What the API sends and takes; the front end's types are made from these."""

from datetime import datetime
from typing import Annotated, Any, Literal

from fastapi import Path
from pydantic import BaseModel, ConfigDict, Field, WithJsonSchema, model_validator

from crenn.camera.flaws import FLAWS, STRONGEST, FlawName
from crenn.core.changes import Change
from crenn.core.geometry.turn import TurnParameters
from crenn.core.lens.correction import LensParameters
from crenn.core.light.curve import CurvePoint
from crenn.core.merge.instructions import Instructions, Words
from crenn.core.report.merging import MergeReport
from crenn.core.treatment import Treatment

#: The largest key of the database's tables.
_LARGEST_ID = 2**31 - 1
Id = Annotated[int, Field(ge=1, le=_LARGEST_ID)]
PathId = Annotated[int, Path(ge=1, le=_LARGEST_ID)]


#: ISO 8601 without a zone: a camera's clock knows none.
CameraTime = Annotated[
    datetime, WithJsonSchema({"type": "string", "description": "local time of the camera, ISO 8601"})
]


class Body(BaseModel):
    """What is sent: nothing unknown, no number that is not finite."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class FrameOut(BaseModel):
    """A frame of a scene; stops are relative to 1 s, f/8, ISO 100."""

    model_config = ConfigDict(from_attributes=True)
    id: int
    name: str
    width: int
    height: int
    seconds: float | None
    aperture: float | None
    iso: float
    sensitivity: float | None
    taken: CameraTime | None
    camera: str
    lens: str
    clipped_share: float
    included: bool
    kind: Literal["light", "dark", "flat", "bias"]
    time_typed: bool


class JobOut(BaseModel):
    """A job and how far it is."""

    model_config = ConfigDict(from_attributes=True)
    id: int
    kind: Literal["import", "merge", "noise", "fit", "deliver", "shoot", "alone", "series", "film"]
    scene_id: int | None
    shoot_id: int | None
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    share: float
    text: str
    fault: str | None
    cancelling: bool
    options: dict[str, Any]
    result: dict[str, Any] | None
    created: datetime
    started: datetime | None
    changed: datetime


class SceneSummary(BaseModel):
    """A scene on the contact sheet."""

    id: int
    title: str
    ready: bool
    fault: str | None
    picture_version: str | None = Field(description="changes when the small picture does; none if there is none yet")
    frames: list[FrameOut]
    low_stop: float | None
    high_stop: float | None
    stops_covered: float | None
    choice: int = Field(description="marks of choice, 0 to 3")
    binned: bool = Field(description="whether it lies in the bin")


class SceneChange(Body):
    """What is changed of a scene in the library."""

    title: Words | None = Field(None, min_length=1, max_length=200)
    choice: int | None = Field(None, ge=0, le=3)
    binned: bool | None = None
    series_key: bool | None = Field(None, description="whether its series goes by its treatment")


class ShootChange(Body):
    """What is changed of a shoot."""

    name: Words = Field(min_length=1, max_length=200)


class RefusalOut(BaseModel):
    model_config = ConfigDict(from_attributes=True)
    name: str
    reason: str


class ShootOut(BaseModel):
    """A shoot with its scenes and the files that could not be used."""

    id: int
    name: str
    created: datetime
    count: int = Field(description="how many of its scenes are like what is sought; not all need be listed here")
    scenes: list[SceneSummary]
    refusals: list[RefusalOut]


class PartPlace(BaseModel):
    """A part of a scene, in shares of its width and height, and how large it is shown."""

    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)
    width: float = Field(gt=0, le=1)
    height: float = Field(gt=0, le=1)
    side: int = Field(64, ge=8, le=400, description="longer side of the picture, in pixels")


class StartOut(BaseModel):
    """A starting point of the Light station."""

    name: str
    title: str
    help: str
    values: dict[str, float] = Field(description="what it comes to in this scene, by ``step.parameter``")
    colours: list[str] = Field(description="of the values' paths, those that move colour alone")
    others: dict[str, float | None] = Field(
        description="what dials are put back to that other starting points set and this one does not"
    )


class AutomaticOut(BaseModel):
    """What automatic values come to in this scene, by ``step.parameter``."""

    values: dict[str, float]
    starts: list[StartOut] = Field(description="starting points; the first is what automatic values come to")
    idle: list[str] = Field(description="steps that this scene has nothing for")
    saturation: float | None = Field(description="luminance of stop 0, cd/m²; none where frames do not tell")
    luminance: float | None = Field(description="luminance of the bulk of the scene, cd/m²")


class NoiseOut(BaseModel):
    """What was split off a scene as noise."""

    gain_db: float = Field(description="growth of signal to noise in smooth places, dB")


class SceneOut(BaseModel):
    """A scene in the workbench."""

    id: int
    shoot_id: int
    title: str
    ready: bool
    fault: str | None
    prepared: str | None
    width: int | None
    height: int | None
    frames: list[FrameOut]
    report: MergeReport | None
    automatic: AutomaticOut | None
    noise: NoiseOut | None = Field(description="none until noise has been split off")
    instructions: Instructions
    frame_tones: dict[str, float] = Field(description="tone 0–1 of each merged frame in the source view, by name")
    treatment: Treatment
    revision: int
    can_undo: bool
    can_redo: bool


class StoredState(BaseModel):
    """A treatment as it is stored: the revision, and whether undo and redo would move."""

    revision: int
    can_undo: bool
    can_redo: bool


class TreatmentState(BaseModel):
    """A scene's treatment and where it stands in its history."""

    treatment: Treatment
    revision: int
    label: str
    can_undo: bool
    can_redo: bool
    merging: bool = Field(False, description="whether the scene is to be merged in another way than before")


class TreatmentChange(Body):
    """A changed treatment: the whole of it, or what is other than in ``parent``, the revision it was made from."""

    document: dict[str, Any] | None = None
    changes: list[Change] | None = Field(None, min_length=1, max_length=500)
    parent: Id
    label: Words = Field(max_length=200)

    @model_validator(mode="after")
    def _one_of_both(self) -> "TreatmentChange":
        if (self.document is None) == (self.changes is None):
            raise ValueError("either a document or changes are needed")
        return self


class FrameChange(Body):
    """What changes about a frame; what is not given stays."""

    included: bool | None = None
    kind: Literal["light", "dark", "flat", "bias"] | None = None
    seconds: float | None = Field(None, gt=0, le=36000)


class FramesIn(Body):
    """Frames of a scene, by their ids."""

    frames: list[Id] = Field(min_length=1, max_length=500)


class MoveIn(Body):
    """Frames that go to another scene."""

    frames: list[Id] = Field(min_length=1, max_length=500)
    to: Id


class CameraScene(BaseModel):
    """A scene that the simulated camera can shoot, and how it usually does."""

    name: str
    title: str
    frames: int
    step: float
    iso: float
    middle_seconds: float


class CameraIn(Body):
    """How the simulated camera shall shoot a scene."""

    scene: Words = Field(max_length=60)
    frames: int = Field(5, ge=1, le=60)
    step: float = Field(2.0, ge=0, le=4)
    iso: float = Field(100.0, ge=50, le=25600)
    shake: float = Field(0.0, ge=0, le=1.5, description="deviation of the camera's direction and roll, in degrees")
    flaws: float = Field(0.0, ge=0, le=STRONGEST, description="strength of a real sensor's flaws, 1 as they are")
    flaws_only: list[FlawName] = Field([], max_length=len(FLAWS), description="which flaws; all of them without any")
    shift: float = Field(0.0, ge=-6, le=6, description="EV by which all frames are exposed more")
    times: int = Field(1, ge=1, le=400, description="how often: a series while it dawns, of small frames")
    every: float = Field(30.0, ge=1, le=3600, description="seconds from one bracket of a series to the next")
    rise: float = Field(4.0, ge=-8, le=8, description="EV by which it gets lighter while a series is taken")


class FolderIn(Body):
    path: Words = Field(max_length=4000)


class FolderOut(BaseModel):
    """A folder on the server: what it holds."""

    path: str
    parent: str | None
    folders: list[str]
    raw_files: int
    roots: list[str]


class PatchIn(Body):
    """A patch of the scene: its middle in shares of the scene's longer side, its radius in full-size pixels."""

    place: tuple[float, float]
    radius: float = Field(12.0, ge=1, le=500)


#: A place of the scene along one axis, in shares of its longer side.
Share = Annotated[float, Field(ge=-4, le=5)]


class LinesIn(Body):
    """Lines drawn along edges that should stand or lie, from place to place of the scene; none: they are found."""

    lines: list[tuple[Share, Share, Share, Share]] = Field(default_factory=list, max_length=40)
    lens: LensParameters = Field(default_factory=LensParameters)
    turn: TurnParameters = Field(default_factory=TurnParameters)
    horizontal: bool = Field(False, description="whether lying lines should lie as well, where lines are found")
    focal: float | None = Field(
        None, ge=8, le=400, description="mm, as before a frame of 36 by 24 mm; the lens's if none"
    )


class StraightOut(BaseModel):
    """What would make them stand and lie, in degrees: angle of level, vertical and horizontal of perspective."""

    level: float
    vertical: float
    horizontal: float


class LensIn(Body):
    """The lens of a treatment."""

    lens: LensParameters


class BentIn(LensIn):
    """Edges that should be straight, from place to place of the scene."""

    lines: list[tuple[Share, Share, Share, Share]] = Field(min_length=1, max_length=20)


class LensOut(BaseModel):
    """A lens of the database, and what is known of it."""

    name: str
    focal_lengths: tuple[float, float] = Field(description="shortest and longest, mm")
    aperture: float | None = Field(description="widest f-number")
    distortion: bool
    fringes: bool
    falloff: bool
    fits: bool = Field(description="whether it fits the scene's camera")


class LensPlotOut(BaseModel):
    """What is taken back over the radius, in half diagonals of the sensor's picture."""

    radius: list[float]
    distortion: list[float] = Field(description="% by which light was drawn further out")
    red: list[float] = Field(description="‰ by which red was drawn larger than green")
    blue: list[float] = Field(description="‰ by which blue was drawn larger than green")
    falloff: list[float] = Field(description="EV by which light was too weak")


class SceneLensOut(BaseModel):
    """The lens of a scene."""

    told: str = Field(description="what the frames call it; empty if they do not")
    focal_length: float | None = Field(description="mm, as the frames tell")
    aperture: float | None = Field(description="f-number, as the frames tell")
    lens: LensOut | None
    fringes: Literal["profile", "picture"] | None = Field(description="by what the merge took lateral colour back")
    note: str | None = Field(description="why its profile cannot be used")
    plot: LensPlotOut | None


class FalloffOut(BaseModel):
    falloff: float = Field(description="EV by which corners are too dark")
    steepness: float = Field(description="power of the radius by which that grows")


class DistortionOut(BaseModel):
    distortion: float = Field(description="% at the corner")


class WhiteIn(Body):
    """How to find a white balance in the whole picture."""

    by: Literal["automatic", "picture", "two"]


class WhiteOut(BaseModel):
    """A white balance."""

    temperature: float = Field(description="K")
    tint: float = Field(description="‰ Duv")
    red: float = Field(0.0, description="gain of red beside it, EV, where no white light has the colour")
    blue: float = Field(0.0, description="the same of blue")
    short: float = Field(0.0, description="EV by which these still fall short")
    second_temperature: float | None = Field(None, description="of a second light, K; none if one was looked for")
    second_tint: float = Field(0.0, description="‰ Duv")
    spread: float | None = Field(None, description="deviation of temperature within a patch, in mired")


class LightIn(Body):
    """A treatment, to be asked about."""

    document: dict[str, Any]


class CurveLightOut(BaseModel):
    """Histogram of the light that enters the curve, over stops relative to nominal white."""

    start: float
    bin: float
    luminance: list[float]
    red: list[float]
    green: list[float]
    blue: list[float]


class ChannelEndsOut(BaseModel):
    """Points that give the colours the same darkest and brightest light."""

    red: list[CurvePoint]
    green: list[CurvePoint]
    blue: list[CurvePoint]


class BendOut(BaseModel):
    """How an area may bend a dial: by an amount added to it, a factor, or mired of colour temperature."""

    kind: Literal["add", "factor", "mired"]
    low: float
    high: float
    increment: float


class _ParameterOut(BaseModel):
    """Everything the panel needs to draw a parameter."""

    step: str
    name: str
    title: str
    help: str
    usual: bool = Field(True, description="whether it is at hand at once; others are folded away")


class WhereOut(BaseModel):
    """A choice of the same step, and the values of it with which a dial does something."""

    choice: str
    values: list[str]


class DialOut(_ParameterOut):
    """A dial; ``group`` names the few that it is shown with where a step has many."""

    kind: Literal["dial"] = "dial"
    unit: str
    low: float
    high: float
    increment: float
    default: float | None = Field(description="none if automatic")
    shows: str | None
    scale: Literal["linear", "reciprocal"]
    bend: BendOut | None = Field(description="none if areas cannot bend it")
    group: str | None = None
    where: WhereOut | None = Field(None, description="none if it always does something")
    turns: bool = Field(False, description="whether its high end is its low one, as of an angle")


class ChoiceOut(_ParameterOut):
    """One of several; ``names`` are the values and what each is called."""

    kind: Literal["choice"] = "choice"
    names: dict[str, str]
    default: str


class ToggleOut(_ParameterOut):
    """On or off."""

    kind: Literal["toggle"] = "toggle"
    default: bool


class StepOut(BaseModel):
    """One step of the treatment: its section of the document as it is by default, and what its panel shows."""

    name: str
    station: str
    title: str
    folded: bool = Field(description="whether its dials are folded away at first")
    left_out: bool = Field(description="whether areas can leave it out")
    defaults: dict[str, Any]
    parameters: list[Annotated[DialOut | ChoiceOut | ToggleOut, Field(discriminator="kind")]]
    items: dict[str, list[DialOut]] = Field(description="dials of what lists of the step are made of, by the list")


class FaultOut(BaseModel):
    """What went wrong, in words."""

    detail: str
    kind: Literal["fault", "stale", "database", "sign-in"] = "fault"


class SignIn(Body):
    secret: Words = Field(max_length=1000)


class SignedIn(BaseModel):
    ok: bool


class SessionOut(BaseModel):
    """Whether a secret is asked for, so that one can sign out."""

    secret: bool
