"""Actuals: months closed from the books, what happened before them, and forecasts made from it into the plan."""

from widefork.web.pages.actuals.driven.asked import DRIVEN
from widefork.web.pages.actuals.routes import BLUEPRINT
from widefork.web.pages.actuals.trends.asked import QUESTION
from widefork.web.shared.page import Page

ARRANGED = ("month", "account", "place", "name_column", "amount_column", "credit_column", "to_date", "changed",
            "aged:<schedule>", "age:<schedule>:<month>", "note:<row>")  # fmt: skip

LOOKED = ("look", "per", "other", "original")
"""Of History: the way of looking, periods, what a series is set against, whether steps are left out."""

PAGE = Page(
    name="actuals",
    label="Actuals",
    number=2,
    blueprint=BLUEPRINT,
    asks=(
        "view",
        "close",
        "against",
        "correct",
        "series",
        *LOOKED,
        *QUESTION,
        "shown",
        "making",
        "name",
        "adding",
        "groups",
        "borrow",
        "anew",
        *DRIVEN,
    ),
    pieces=("template.csv",),
    writes={
        "read": ("month", "text", "mark", "file"),
        "arrange": ARRANGED,
        "close": (*ARRANGED, "seal", "unbalanced"),
        "drop": ("month",),
        "reopen": ("month",),
        "note": ("month", "line", "note"),
        "history/read": ("text", "file"),
        "history/place": ("line", "source", "place"),
        "history/take": ("line", "source", "place"),
        "history/drop": (),
        "history/step": ("series", "do", "in", "way", "note", "place"),
        "history/unstep": ("series", "place"),
        "history/remove": ("series",),
        "trends/write": ("series", "name", "range", *QUESTION),
        "trends/try": ("series", "name", *QUESTION),
        "trends/keep": ("series", "name", *QUESTION),
        "trends/forget": ("series", "name"),
        "trends/stop": (*QUESTION, "adding", "borrow"),
        "trends/go_on": (*QUESTION, "adding", "borrow"),
        "trends/write_all": ("chosen", "name", "low_case", "adding", "borrow", *QUESTION),
        "trends/try_all": ("chosen", "name", "low_case", "adding", "borrow", *QUESTION),
        "trends/write_anew": ("chosen",),
        "trends/formula": ("series", *DRIVEN, *QUESTION),
    },
    messages=("books", "close", "history", "steps", "plan", "all", "driven"),
)
