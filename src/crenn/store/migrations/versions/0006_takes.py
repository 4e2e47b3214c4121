"""Revisions kept in sections; takes and marks; people who signed in."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from crenn.store.sections import parted

revision = "0006"
down_revision = "0005"


def _basis(report: dict[str, Any] | None, frames: dict[str, str]) -> dict[str, Any] | None:
    """What places of a scene's documents hold on to, by the report of its merge; ``frames`` are hashes by name."""
    if not report or "capture" not in report:
        return None
    names = {index: frame["name"] for index, frame in zip(report["source_indices"], report["frames"])}
    held = frames.get(names.get(report["reference"], ""))
    if held is None:
        return None
    x, y, width, height = (report["capture"] or {}).get("part") or (0.0, 0.0, 1.0, 1.0)
    size = report["width"], report["height"]
    offset = round(x * size[0] / width), round(y * size[1] / height)
    return {"frame": held, "size": list(size), "offset": list(offset)}


def upgrade() -> None:
    op.create_table("section", sa.Column("digest", sa.String(22), primary_key=True), sa.Column("content", JSONB))
    op.create_table(
        "take",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("scene_id", sa.Integer, sa.ForeignKey("scene.id"), nullable=False, index=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("revision_id", sa.Integer, sa.ForeignKey("revision.id")),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "mark",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("take_id", sa.Integer, sa.ForeignKey("take.id"), nullable=False, index=True),
        sa.Column("revision_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("take_id", "name"),
    )
    op.add_column("scene", sa.Column("take_id", sa.Integer, sa.ForeignKey("take.id", use_alter=True)))
    op.add_column("revision", sa.Column("take_id", sa.Integer, sa.ForeignKey("take.id"), index=True))
    op.add_column("revision", sa.Column("sections", JSONB))
    op.execute(
        "INSERT INTO take (scene_id, name, revision_id, created) "
        "SELECT id, 'First take', revision_id, created FROM scene WHERE revision_id IS NOT NULL"
    )
    op.execute("UPDATE scene SET take_id = take.id FROM take WHERE take.scene_id = scene.id")
    op.execute("UPDATE revision SET take_id = take.id FROM take WHERE take.scene_id = revision.scene_id")
    _part_documents()
    op.alter_column("revision", "take_id", nullable=False)
    op.alter_column("revision", "sections", nullable=False)
    op.drop_column("revision", "document")
    op.drop_column("revision", "scene_id")
    op.drop_column("scene", "revision_id")
    op.create_table(
        "login",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.Column("expires", sa.DateTime(timezone=True), nullable=False),
    )


def _part_documents() -> None:
    """Keep all documents in sections. They stay of the version that they have: they are upgraded as they are read."""
    bind = op.get_bind()
    frames: dict[int, dict[str, str]] = {}
    for scene, name, held in bind.execute(sa.text("SELECT scene_id, name, content_hash FROM frame ORDER BY id DESC")):
        frames.setdefault(scene, {})[name] = held
    scenes = bind.execute(sa.text("SELECT id, report FROM scene WHERE report IS NOT NULL"))
    bases = {scene: _basis(report, frames.get(scene, {})) for scene, report in scenes}
    for number, scene, document in bind.execute(sa.text("SELECT id, scene_id, document FROM revision")).all():
        if bases.get(scene) is not None:
            document["basis"] = bases[scene]
        sections, pieces = parted(document)
        for digest, value in pieces.items():
            bind.execute(
                sa.text("INSERT INTO section VALUES (:digest, CAST(:content AS JSONB)) ON CONFLICT DO NOTHING"),
                {"digest": digest, "content": json.dumps(value)},
            )
        bind.execute(
            sa.text("UPDATE revision SET sections = CAST(:sections AS JSONB) WHERE id = :id"),
            {"sections": json.dumps(sections), "id": number},
        )
