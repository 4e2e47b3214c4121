"""Areas kept by a name."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "area_preset",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False, unique=True),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("kept", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("area_preset")
