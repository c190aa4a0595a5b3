"""Actuals: closing a month from the books, step by step, and the months closed with their differences from plan."""

from widefork.web.pages.actuals.routes import BLUEPRINT
from widefork.web.shared.page import Page

ARRANGED = ("month", "account", "place", "name_column", "amount_column", "credit_column", "to_date", "changed",
            "aged:<schedule>", "age:<schedule>:<month>", "note:<row>")  # fmt: skip

PAGE = Page(
    name="actuals",
    label="Actuals",
    number=2,
    blueprint=BLUEPRINT,
    asks=("close", "against", "correct"),
    pieces=("template.csv",),
    writes={
        "read": ("month", "text", "mark", "file"),
        "arrange": ARRANGED,
        "close": (*ARRANGED, "seal", "unbalanced"),
        "drop": ("month",),
        "reopen": ("month",),
        "note": ("month", "line", "note"),
    },
    messages=("books", "close"),
)
