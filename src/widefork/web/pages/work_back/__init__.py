"""What it takes to reach a goal: a sentence filled in, its answers, and the goals kept."""

from widefork.web.pages.work_back.routes import BLUEPRINT
from widefork.web.pages.work_back.sentence import SENTENCE
from widefork.web.pages.work_back.worth import VALUE
from widefork.web.shared.page import Page

PAGE = Page(
    name="work_back",
    label="Work back",
    number=11,
    blueprint=BLUEPRINT,
    asks=("view", *SENTENCE, "ask", "number"),
    pieces=("ready", "cases", "instead", "alone", "moves"),
    writes={
        "ask": (*SENTENCE, "do"),
        "keep": (*SENTENCE, "amount", "do", "label"),
        "unpin": ("name",),
        "value": VALUE,
    },
    messages=("sentence", "answer", "goals", "value"),
)
