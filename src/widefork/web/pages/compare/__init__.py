"""Cases, seals, the year before and other models side by side; and why two cases differ."""

from widefork.web.pages.compare.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(
    name="compare",
    label="Compare",
    number=9,
    blueprint=BLUEPRINT,
    asks=(
        "with",
        "against",
        "figure",
        "row",
        "line",
        "shape",
        "mode",
        "shown",
        "from_case",
        "explain",
        "of",
        "grouped",
        "walk",
    ),
    pieces=("why",),
    writes={
        "figures": ("label", "line", "find", "when", "threshold", "first", "last"),
        "figures/<name>": ("do",),
    },
    messages=("figure",),
)
