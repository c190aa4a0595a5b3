"""What happened before the plan and beside it, and the forecasts kept of it."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "history",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("model_id", sa.Integer(), sa.ForeignKey("model.id", ondelete="CASCADE"), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("line_id", sa.Integer(), sa.ForeignKey("line.id"), nullable=True),
        sa.Column("schedule_id", sa.Integer(), sa.ForeignKey("schedule.id"), nullable=True),
        sa.Column("part", sa.String(), nullable=True),
        sa.Column("members", sa.JSON(), nullable=False),
        sa.Column("start", sa.String(), nullable=False),
        sa.Column("per_year", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(), nullable=False),
        sa.Column("unit", sa.String(), nullable=False),
        sa.Column("amounts", sa.JSON(), nullable=False),
        sa.Column("doubled", sa.JSON(), nullable=False, server_default="{}"),
        sa.Column("steps", sa.JSON(), nullable=False, server_default="[]"),
        sa.Column("forecasts", sa.JSON(), nullable=False, server_default="[]"),
        sa.Column("note", sa.String(), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_index("ix_history_model_id", "history", ["model_id"])
    op.create_table(
        "incoming",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("model_id", sa.Integer(), sa.ForeignKey("model.id", ondelete="CASCADE"), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False, server_default="{}"),
        sa.UniqueConstraint("model_id", "person"),
    )
    op.create_index("ix_incoming_model_id", "incoming", ["model_id"])


def downgrade() -> None:
    op.drop_index("ix_incoming_model_id", table_name="incoming")
    op.drop_table("incoming")
    op.drop_index("ix_history_model_id", table_name="history")
    op.drop_table("history")
