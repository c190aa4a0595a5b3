"""The cases: who forks from whom, what each changes, in which order, and what every step moves."""

from widefork.web.pages.cases.routes import BLUEPRINT
from widefork.web.shared.page import Page

FILTERS = ("figure", "of", "section", "who", "only")
SHOWN = ("find", "shown", "per", "grouped")
"""What the two views show: of the tree and what differs, and side by side."""
SETS = (
    "rows", "columns", "third", "rows_lead", "rows_values", "columns_lead", "columns_values", "third_lead",
    "third_values",
)  # fmt: skip
"""The sets of alternatives: as phrases, or each with its lead and its values apart."""
STEP = ("line", "operation", "amount", "first", "last", "members", "note", "catch_up")

PAGE = Page(
    name="cases",
    label="Cases",
    number=8,
    blueprint=BLUEPRINT,
    asks=(
        "figure",
        "of",
        "section",
        "who",
        "only",
        "open",
        "about",
        "under",
        "view",
        "find",
        "shown",
        "per",
        "grouped",
        *SETS,
        "best",
        "split",
        "cell",
        "move",
        "named",
    ),
    writes={
        "fork": ("label", "note"),
        "case": ("label", "note", "weight", "pinned"),
        "place": ("do",),
        "under": ("parent", "keeps"),
        "adopt": (),
        "step": ("at", "do", *STEP),
        "switch": ("at", "do", "move", "start", "strength", "typed", "by", "more"),
        "moves/new": ("label", "note", "start"),
        "moves/about": ("move", "label", "note", "owner", "status", "group", "start"),
        "moves/place": ("move", "do"),
        "moves/aims": ("move", "do", "figure", "amount"),
        "moves/brings": ("move", "do", "at", "line", "amount", "per", "first", "last", "ramp", "member", "share"),
        "moves/change": ("move", "do", "at", *STEP[1:], "line"),
        "try": (*SETS[:3], "figure", "cell"),
        "block": ("shown", "text", "hold", "mark", "skip"),
        "inherit": ("shown",),
        "merge": ("name", "document", "file"),
        "drop": ("at",),
        "clear": ("key",),
        "back": ("drop",),
        "steps": ("do", "step", "key", "to", "label"),
    },
    messages=("fork", "about", "under", "strip", "steps", "side", "merge", "moves", "grid"),
)
