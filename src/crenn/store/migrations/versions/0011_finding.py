"""What scenes are shown and found by, beside reports: stops of scenes, words of frames."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    for name in ("low_stop", "high_stop", "stops_covered"):
        op.add_column("scene", sa.Column(name, sa.Float))
    op.execute(
        """
        UPDATE scene SET
            low_stop = (report->>'low_stop')::float8,
            high_stop = (report->>'high_stop')::float8,
            stops_covered = (
                SELECT max((f->>'clip_stop')::float8) - min((f->>'noise_stop')::float8)
                FROM jsonb_array_elements(report->'frames') f
            )
        WHERE jsonb_typeof(report->'frames') = 'array'
        """
    )
    op.add_column("frame", sa.Column("words", sa.Text, nullable=False, server_default=""))
    op.execute(
        """
        UPDATE frame SET words = lower(concat_ws(
            ' ', name, camera, lens, coalesce(to_char(taken, 'YYYY-MM-DD HH24:MI'), ''), 'ISO', round(iso)
        ))
        """
    )
    op.alter_column("frame", "words", server_default=None)
