"""Noise models kept for cameras."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "camera_noise",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("make", sa.String(200), nullable=False),
        sa.Column("model", sa.String(200), nullable=False),
        sa.Column("iso", sa.Float, nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("fitted", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("make", "model", "iso"),
    )
