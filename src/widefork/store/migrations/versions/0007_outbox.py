"""Notes to people, which wait here for a way out."""

import sqlalchemy as sa
import sqlmodel
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    text = sqlmodel.sql.sqltypes.AutoString()
    op.create_table(
        "note",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("model_id", sa.Integer(), nullable=False),
        sa.Column("recipient", text, nullable=False),
        sa.Column("text", text, nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["model_id"], ["model.id"], name=op.f("fk_note_model_id_model"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_note")),
        sqlite_autoincrement=True,
    )
    op.create_index(op.f("ix_note_model_id"), "note", ["model_id"], unique=False)


def downgrade() -> None:
    op.drop_table("note")
