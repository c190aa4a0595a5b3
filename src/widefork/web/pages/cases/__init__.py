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
        "cases/fork": ("label", "note"),
        "cases/case": ("label", "note", "weight", "pinned"),
        "cases/place": ("do",),
        "cases/under": ("parent", "keeps"),
        "cases/adopt": (),
        "cases/step": ("at", "do", *STEP),
        "cases/switch": ("at", "do", "move", "start", "strength"),
        "cases/drop": ("at",),
        "cases/clear": ("key",),
        "cases/back": ("drop",),
        "cases/steps": ("do", "step", "key", "to", "label"),
    },
    messages=("fork", "about", "under", "strip", "steps"),
)
