"""Sets of outputs; choice and bin of scenes; deliveries that were ordered by flat options tell of an output."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.create_table(
        "output_set",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False, unique=True),
        sa.Column("outputs", JSONB, nullable=False),
        sa.Column("kept", sa.DateTime(timezone=True), nullable=False),
    )
    op.add_column("scene", sa.Column("choice", sa.SmallInteger, nullable=False, server_default="0"))
    op.add_column("scene", sa.Column("binned", sa.Boolean, nullable=False, server_default=sa.false()))
    op.execute("""
        UPDATE job SET options = options - 'format' - 'long_edge' - 'quality' - 'border' || jsonb_build_object('output',
            jsonb_build_object('format', options->'format', 'quality', COALESCE(options->'quality', '92'),
                'border', options->'border',
                'size', CASE WHEN jsonb_typeof(options->'long_edge') = 'number'
                    THEN jsonb_build_object('by', 'pixels', 'pixels', options->'long_edge')
                    ELSE '{"by": "full"}'::jsonb END))
        WHERE kind = 'deliver' AND options ? 'format' AND jsonb_typeof(options->'mask') IS DISTINCT FROM 'string'
    """)
