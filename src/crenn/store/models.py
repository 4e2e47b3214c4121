"""Tables of the library."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    DateTime,
    Float,
    ForeignKey,
    Index,
    LargeBinary,
    SmallInteger,
    String,
    Text,
    UniqueConstraint,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.engine.default import DefaultExecutionContext
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship, validates


def _now() -> datetime:
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """Base of the tables."""


class Shoot(Base):
    """Frames brought in together."""

    __tablename__ = "shoot"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)
    scenes: Mapped[list["Scene"]] = relationship(back_populates="shoot", order_by="Scene.id")
    refusals: Mapped[list["Refusal"]] = relationship(order_by="Refusal.id")


class Refusal(Base):
    """A file that could not be brought in, and why."""

    __tablename__ = "refusal"
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int] = mapped_column(ForeignKey("shoot.id"), index=True)
    name: Mapped[str] = mapped_column(String(300))
    reason: Mapped[str] = mapped_column(Text)


class Scene(Base):
    """Frames that become one picture."""

    __tablename__ = "scene"
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int] = mapped_column(ForeignKey("shoot.id"), index=True)
    title: Mapped[str] = mapped_column(String(200))
    prepared: Mapped[str | None] = mapped_column(String(200), default=None, doc="folder of the prepared scene")
    report: Mapped[dict | None] = mapped_column(JSONB, default=None)
    fault: Mapped[str | None] = mapped_column(Text, default=None)
    instructions: Mapped[dict] = mapped_column(
        JSONB, default=dict, doc="how to merge it, see crenn.core.merge.instructions"
    )
    take_id: Mapped[int | None] = mapped_column(
        ForeignKey("take.id", use_alter=True), default=None, doc="the take that is worked on"
    )
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)
    choice: Mapped[int] = mapped_column(SmallInteger, default=0, doc="marks of choice, 0 to 3")
    binned: Mapped[bool] = mapped_column(default=False, doc="whether it lies in the bin")
    series_key: Mapped[bool] = mapped_column(default=False, doc="whether its series goes by its treatment")
    low_stop: Mapped[float | None] = mapped_column(Float, default=None, doc="stops as its report tells them")
    high_stop: Mapped[float | None] = mapped_column(Float, default=None)
    stops_covered: Mapped[float | None] = mapped_column(Float, default=None, doc="by its frames together")
    shoot: Mapped[Shoot] = relationship(back_populates="scenes")
    frames: Mapped[list["Frame"]] = relationship(back_populates="scene", order_by="Frame.sensitivity, Frame.id")
    take: Mapped["Take"] = relationship(foreign_keys=[take_id])

    @validates("report")
    def _note_stops(self, _: str, report: dict | None) -> dict | None:
        """A sheet of many scenes does not read their reports."""
        frames = (report or {}).get("frames") or []
        self.low_stop, self.high_stop = ((report or {}).get(name) for name in ("low_stop", "high_stop"))
        self.stops_covered = (
            max(f["clip_stop"] for f in frames) - min(f["noise_stop"] for f in frames) if frames else None
        )
        return report


def frame_words(row: DefaultExecutionContext) -> str:
    """What a frame is found by, told the values of its row; they stay as they are once it has been brought in."""
    told = row.get_current_parameters()
    taken = f"{told['taken']:%Y-%m-%d %H:%M}" if told.get("taken") else ""
    return " ".join([told["name"], told["camera"], told["lens"], taken, f"ISO {told['iso']:.0f}"]).lower()


class Frame(Base):
    """One file. The original is kept under its content hash and never written to."""

    __tablename__ = "frame"
    id: Mapped[int] = mapped_column(primary_key=True)
    scene_id: Mapped[int] = mapped_column(ForeignKey("scene.id"), index=True)
    name: Mapped[str] = mapped_column(String(300))
    content_hash: Mapped[str] = mapped_column(String(64), unique=True)
    ending: Mapped[str] = mapped_column(String(12))
    bytes: Mapped[int] = mapped_column(BigInteger)
    width: Mapped[int]
    height: Mapped[int]
    seconds: Mapped[float | None] = mapped_column(Float)
    aperture: Mapped[float | None] = mapped_column(Float)
    iso: Mapped[float] = mapped_column(Float)
    sensitivity: Mapped[float | None] = mapped_column(Float)
    focal_length: Mapped[float | None] = mapped_column(Float)
    taken: Mapped[datetime | None] = mapped_column(DateTime)
    camera: Mapped[str] = mapped_column(String(200))
    lens: Mapped[str] = mapped_column(String(200))
    clipped_share: Mapped[float] = mapped_column(Float, default=0.0)
    included: Mapped[bool] = mapped_column(default=True)
    kind: Mapped[str] = mapped_column(String(10), default="light", doc="light, dark, flat or bias")
    kind_chosen: Mapped[bool] = mapped_column(default=False, doc="whether the user said so")
    time_typed: Mapped[bool] = mapped_column(default=False, doc="whether the user typed the exposure time in")
    words: Mapped[str] = mapped_column(Text, default=frame_words, doc="in small letters, by which it is found")
    scene: Mapped[Scene] = relationship(back_populates="frames")


class CameraNoiseRow(Base):
    """Noise of a camera at a sensitivity, as fitted; see `crenn.core.frames.camera_noise.CameraNoise`."""

    __tablename__ = "camera_noise"
    id: Mapped[int] = mapped_column(primary_key=True)
    make: Mapped[str] = mapped_column(String(200))
    model: Mapped[str] = mapped_column(String(200))
    iso: Mapped[float] = mapped_column(Float)
    document: Mapped[dict] = mapped_column(JSONB)
    fitted: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)

    __table_args__ = (UniqueConstraint("make", "model", "iso"),)


class AreaPreset(Base):
    """Areas kept by a name; see `crenn.core.area_presets.AreasDocument`."""

    __tablename__ = "area_preset"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    document: Mapped[dict] = mapped_column(JSONB)
    kept: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)


class PresetRow(Base):
    """Steps and areas kept by a name; see `crenn.core.preset.Preset`."""

    __tablename__ = "preset"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    document: Mapped[dict] = mapped_column(JSONB)
    kept: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)


class ProfileRow(Base):
    """An ICC profile kept by a name; see `crenn.core.colorimetry.profiles.IccProfile`."""

    __tablename__ = "profile"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    space: Mapped[str] = mapped_column(String(4))
    data: Mapped[bytes] = mapped_column(LargeBinary)
    kept: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)


class DiskLimitRow(Base):
    """Bytes that a part of the library may take; see `crenn.store.disk_limits.DiskLimits`."""

    __tablename__ = "disk_limit"
    part: Mapped[str] = mapped_column(String(20), primary_key=True)
    bytes: Mapped[int] = mapped_column(BigInteger)


class OutputSetRow(Base):
    """What is delivered together, by a name; see `crenn.core.deliver.output.Output`."""

    __tablename__ = "output_set"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    outputs: Mapped[list] = mapped_column(JSONB)
    kept: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)


class Section(Base):
    """A piece of a document, under the digest of its content; see `crenn.store.sections`."""

    __tablename__ = "section"
    digest: Mapped[str] = mapped_column(String(22), primary_key=True)
    content: Mapped[Any] = mapped_column(JSONB, nullable=True)


class Take(Base):
    """One of several treatments of a scene, each with its own history."""

    __tablename__ = "take"
    id: Mapped[int] = mapped_column(primary_key=True)
    scene_id: Mapped[int] = mapped_column(ForeignKey("scene.id"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    revision_id: Mapped[int | None] = mapped_column(
        ForeignKey("revision.id"), default=None, doc="the state that it stands at; undo and redo move it"
    )
    removed: Mapped[bool] = mapped_column(default=False, doc="taken away; what was made from it keeps its history")
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)


class Mark(Base):
    """A named point in a take's history."""

    __tablename__ = "mark"
    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id"), index=True)
    revision_id: Mapped[int] = mapped_column(ForeignKey("revision.id"))
    name: Mapped[str] = mapped_column(String(200))
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)

    __table_args__ = (UniqueConstraint("take_id", "name"),)


class Login(Base):
    """Somebody who signed in: the digest of a key that the browser holds."""

    __tablename__ = "login"
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)
    expires: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class Revision(Base):
    """One state of a treatment. Rows are only ever added; undo moves the take's pointer."""

    __tablename__ = "revision"
    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", use_alter=True), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id"), index=True)
    sections: Mapped[dict[str, str]] = mapped_column(JSONB, doc="digests of the document's sections, by name")
    label: Mapped[str] = mapped_column(String(200))
    merging: Mapped[dict[str, str] | None] = mapped_column(
        JSONB,
        default=None,
        doc="how the scene is to be merged from here on, see crenn.store.merging; if that was changed",
    )
    merging_before: Mapped[dict[str, str] | None] = mapped_column(
        JSONB(none_as_null=True), default=None, doc="how it was until then"
    )
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)


class Job(Base):
    """What the user sees of a queue task."""

    __tablename__ = "job"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    scene_id: Mapped[int | None] = mapped_column(ForeignKey("scene.id"), index=True)
    shoot_id: Mapped[int | None] = mapped_column(ForeignKey("shoot.id"), index=True)
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    share: Mapped[float] = mapped_column(Float, default=0.0)
    text: Mapped[str] = mapped_column(Text, default="Waiting")
    fault: Mapped[str | None] = mapped_column(Text, default=None)
    cancelling: Mapped[bool] = mapped_column(default=False)
    task_id: Mapped[int | None] = mapped_column(BigInteger, default=None, doc="task of the queue that runs it")
    attempts: Mapped[int] = mapped_column(default=0, doc="times that a worker has begun it")
    options: Mapped[dict] = mapped_column(JSONB, default=dict)
    result: Mapped[dict | None] = mapped_column(JSONB, default=None)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now)
    started: Mapped[datetime | None] = mapped_column(DateTime(timezone=True), default=None)
    changed: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=_now, onupdate=_now)

    scene: Mapped[Scene | None] = relationship()

    __table_args__ = (Index("job_changed", "changed"),)
