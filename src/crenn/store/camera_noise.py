"""Noise models of cameras in the database."""

from collections.abc import Sequence

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from crenn.core.frames.camera_noise import CameraNoise
from crenn.store.models import CameraNoiseRow


def kept_models(session: Session) -> list[CameraNoise]:
    """All noise models that are kept."""
    rows = session.execute(
        select(CameraNoiseRow).order_by(CameraNoiseRow.make, CameraNoiseRow.model, CameraNoiseRow.iso)
    )
    return [CameraNoise.model_validate(row.document) for row in rows.scalars()]


def keep_models(session: Session, models: Sequence[CameraNoise]) -> None:
    """Keep noise models, in place of those of the same camera and sensitivity."""
    for model in models:
        same = [m for m in _rows(session, model.make, model.model) if model.same_iso(m.iso)]
        for row in same:
            session.delete(row)
        session.flush()
        session.add(
            CameraNoiseRow(make=model.make, model=model.model, iso=model.iso, document=model.model_dump(mode="json"))
        )


def forget_models(session: Session, make: str, model: str) -> None:
    """Forget what is kept of a camera: its files' own models hold again."""
    session.execute(delete(CameraNoiseRow).where(CameraNoiseRow.make == make, CameraNoiseRow.model == model))


def _rows(session: Session, make: str, model: str) -> Sequence[CameraNoiseRow]:
    found = select(CameraNoiseRow).where(CameraNoiseRow.make == make, CameraNoiseRow.model == model)
    return session.execute(found).scalars().all()
