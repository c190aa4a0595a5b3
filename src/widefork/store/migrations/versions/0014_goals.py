"""Goals a model keeps, to see whether they still hold; questions asked on Work back."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("model", sa.Column("goals", sa.JSON(), nullable=False, server_default="[]"))
    op.create_table(
        "asked",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("model_id", sa.Integer(), sa.ForeignKey("model.id", ondelete="CASCADE"), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("made_at", sa.String(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("query", sa.String(), nullable=False),
        sa.Column("sentence", sa.String(), nullable=False),
        sa.Column("answer", sa.String(), nullable=False),
        sa.UniqueConstraint("model_id", "query"),
    )
    op.create_index("ix_asked_model_id", "asked", ["model_id"])


def downgrade() -> None:
    op.drop_index("ix_asked_model_id", table_name="asked")
    op.drop_table("asked")
    op.drop_column("model", "goals")
