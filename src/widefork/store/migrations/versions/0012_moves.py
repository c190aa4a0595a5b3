"""Moves get an owner, a status, what they exclude one another by, and what they are to bring."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("move", sa.Column("owner", sa.String(), nullable=False, server_default=""))
    op.add_column("move", sa.Column("status", sa.String(), nullable=False, server_default="idea"))
    op.add_column("move", sa.Column("one_of", sa.String(), nullable=False, server_default=""))
    op.add_column("move", sa.Column("aims", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    for name in ("aims", "one_of", "status", "owner"):
        op.drop_column("move", name)
