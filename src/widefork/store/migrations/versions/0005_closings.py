"""Months closed, books on their way into a model, what their accounts were matched with; how liquidity is read."""

import sqlalchemy as sa
import sqlmodel
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    text = sqlmodel.sql.sqltypes.AutoString()
    op.add_column("model", sa.Column("liquidity", sa.JSON(), nullable=False, server_default="{}"))

    def owned(name: str, *columns: sa.Column, unique: tuple[str, ...]) -> None:
        op.create_table(
            name,
            sa.Column("id", sa.Integer(), nullable=False),
            sa.Column("model_id", sa.Integer(), nullable=False),
            *columns,
            sa.ForeignKeyConstraint(
                ["model_id"], ["model.id"], name=op.f(f"fk_{name}_model_id_model"), ondelete="CASCADE"
            ),
            sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
            sa.UniqueConstraint("model_id", *unique, name=op.f(f"uq_{name}_model_id_{'_'.join(unique)}")),
            sqlite_autoincrement=True,
        )
        op.create_index(op.f(f"ix_{name}_model_id"), name, ["model_id"], unique=False)

    def document(name: str) -> sa.Column:
        return sa.Column(name, sa.JSON(), nullable=False, server_default="{}")

    owned(
        "closing",
        sa.Column("month", text, nullable=False),
        document("figures"),
        document("ages"),
        document("notes"),
        unique=("month",),
    )
    owned(
        "books",
        sa.Column("person", text, nullable=False),
        sa.Column("month", text, nullable=False),
        document("document"),
        unique=("person",),
    )
    owned(
        "account",
        sa.Column("name", text, nullable=False),
        sa.Column("target", text, nullable=False),
        sa.Column("member", text, nullable=False),
        unique=("name",),
    )


def downgrade() -> None:
    op.drop_table("account")
    op.drop_table("books")
    op.drop_table("closing")
    op.drop_column("model", "liquidity")
