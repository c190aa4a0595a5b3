"""What moves a figure: assumptions one by one, two at once, several under one's hands, and all at random."""

from widefork.web.pages.swings.routes import BLUEPRINT
from widefork.web.shared.page import Page

QUESTION = ("figure", "by_way", "share", "second", "sense", "goal", "section", "who", "apart", "together", "line")
SIDES = ("across", "across_span", "down", "down_span", "cell")
LEVERS = ("lever", "typed", "at")
DRAWS = (
    "fan",
    "shape",
    "held",
    "drawn_each",
    "persistence",
    "draws",
    "seed",
    "points",
    "interest",
    "contracts",
    "by_weights",
    "spread",
    "drawing",
)

PAGE = Page(
    name="swings",
    label="Swings",
    number=10,
    blueprint=BLUEPRINT,
    asks=("view", *QUESTION, "all", "upto", *SIDES, *LEVERS, "drawn", "of", *DRAWS),
    pieces=("small", "square.csv", "tried", "variance"),
    writes={
        "ranges": ("section", "percent", "name", "range", *QUESTION[:4], "apart", "together"),
        "try": (*QUESTION[:4], "apart", "together", "line", "amount"),
        "cell": ("figure", *SIDES),
        "levers": (*LEVERS, "do", "label"),
        "spread": ("line", "at", "do", "range", "shape", "held", "drawn_each", "persistence", "applied"),
        "pair": ("one", "other", "amount"),
        "stop": ("figure", "sense", "goal", *DRAWS),
    },
    messages=("swings", "ranges", "square", "bench", "chance", "spread"),
)
