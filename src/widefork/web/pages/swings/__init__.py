"""What moves a figure: assumptions one by one, two at once, and several under one's hands."""

from widefork.web.pages.swings.routes import BLUEPRINT
from widefork.web.shared.page import Page

QUESTION = ("figure", "by_way", "share", "second", "sense", "goal", "section", "who", "apart", "together", "line")
SIDES = ("across", "across_span", "down", "down_span", "cell")
LEVERS = ("lever", "typed", "at")

PAGE = Page(
    name="swings",
    label="Swings",
    number=10,
    blueprint=BLUEPRINT,
    asks=("view", *QUESTION, "all", "upto", *SIDES, *LEVERS, "drawn", "of"),
    pieces=("small", "square.csv", "tried"),
    writes={
        "ranges": ("section", "percent", "name", "range", *QUESTION[:4], "apart", "together"),
        "try": (*QUESTION[:4], "apart", "together", "line", "amount"),
        "cell": ("figure", *SIDES),
        "levers": (*LEVERS, "do", "label"),
    },
    messages=("swings", "ranges", "square", "bench"),
)
