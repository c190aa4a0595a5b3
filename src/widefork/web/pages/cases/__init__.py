"""The cases: who forks from whom, what each changes, in which order, and what every step moves."""

from widefork.web.pages.cases.routes import BLUEPRINT
from widefork.web.shared.page import Page

STEP = ("line", "operation", "amount", "first", "last", "members", "note", "catch_up")

PAGE = Page(
    name="cases",
    label="Cases",
    number=8,
    blueprint=BLUEPRINT,
    asks=("figure", "of", "section", "who", "only", "open", "about", "under"),
    writes={
        "fork": ("label", "note"),
        "case": ("label", "note", "weight", "pinned"),
        "place": ("do",),
        "under": ("parent", "keeps"),
        "adopt": (),
        "step": ("at", "do", *STEP),
        "switch": ("at", "do", "move", "start", "strength"),
        "drop": ("at",),
        "clear": ("key",),
        "back": ("drop",),
        "steps": ("do", "step", "key", "to", "label"),
    },
    messages=("fork", "about", "under", "strip", "steps"),
)
