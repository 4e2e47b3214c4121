"""The library: shoots, scenes, frames, revisions, jobs, and the tables of the queue."""

from pathlib import Path

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

_QUEUE = Path(__file__).parents[1] / "procrastinate-3.10.sql"

revision = "0001"
down_revision = None


def _time(name: str, nullable: bool = False) -> sa.Column:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def upgrade() -> None:
    op.create_table(
        "shoot",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        _time("created"),
    )
    op.create_table(
        "refusal",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("shoot_id", sa.Integer, sa.ForeignKey("shoot.id"), nullable=False, index=True),
        sa.Column("name", sa.String(300), nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
    )
    op.create_table(
        "scene",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("shoot_id", sa.Integer, sa.ForeignKey("shoot.id"), nullable=False, index=True),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("prepared", sa.String(200)),
        sa.Column("report", JSONB),
        sa.Column("fault", sa.Text),
        sa.Column("revision_id", sa.Integer),
        _time("created"),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("scene_id", sa.Integer, sa.ForeignKey("scene.id"), nullable=False, index=True),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("revision.id"), index=True),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("label", sa.String(200), nullable=False),
        _time("created"),
    )
    op.create_foreign_key("scene_revision", "scene", "revision", ["revision_id"], ["id"])
    op.create_table(
        "frame",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("scene_id", sa.Integer, sa.ForeignKey("scene.id"), nullable=False, index=True),
        sa.Column("name", sa.String(300), nullable=False),
        sa.Column("content_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("ending", sa.String(12), nullable=False),
        sa.Column("bytes", sa.BigInteger, nullable=False),
        sa.Column("width", sa.Integer, nullable=False),
        sa.Column("height", sa.Integer, nullable=False),
        sa.Column("seconds", sa.Float),
        sa.Column("aperture", sa.Float),
        sa.Column("iso", sa.Float, nullable=False),
        sa.Column("sensitivity", sa.Float),
        sa.Column("focal_length", sa.Float),
        sa.Column("taken", sa.DateTime),
        sa.Column("camera", sa.String(200), nullable=False),
        sa.Column("lens", sa.String(200), nullable=False),
        sa.Column("clipped_share", sa.Float, nullable=False),
        sa.Column("included", sa.Boolean, nullable=False),
    )
    op.create_table(
        "job",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("scene_id", sa.Integer, sa.ForeignKey("scene.id"), index=True),
        sa.Column("shoot_id", sa.Integer, sa.ForeignKey("shoot.id"), index=True),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("share", sa.Float, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("fault", sa.Text),
        sa.Column("cancelling", sa.Boolean, nullable=False),
        sa.Column("options", JSONB, nullable=False),
        sa.Column("result", JSONB),
        _time("created"),
        _time("started", True),
        _time("changed"),
    )
    op.create_index("job_changed", "job", ["changed"])
    # The queue's own schema, as Procrastinate 3.10 ships it: what is installed later must not change an old migration.
    # Percent signs are its own, not parameters.
    driver = op.get_bind().connection.driver_connection
    assert driver is not None
    driver.execute(_QUEUE.read_text("utf-8"))
