"""Units of a model that are spelled or shown otherwise than usual."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("model", sa.Column("units", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("model", "units")
