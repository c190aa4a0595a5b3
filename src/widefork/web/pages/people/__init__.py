"""People: teams and seats, who comes and goes, what they cost and can do, cohorts, targets, plans under shocks."""

from widefork.web.pages.people.routes import BLUEPRINT
from widefork.web.shared.page import Page

SEAT = ("seat", "member", "label", "team", "start", "end", "share", "move", "salary", "<setting>")
WRITES = {
    "start": ("<place>.<setting>", "work"),
    "seat": SEAT,
    "paste_seats": ("text",),
    "remove_seat": ("member",),
    "teams": ("<place>.<setting>",),
    "new_team": ("label", "like"),
    "ask": ("seat", "asks"),
    "choose": ("seat", "person"),
    "staff": ("text",),
    "many": ("who", "what", "amount", "month"),
    "shock": ("who", "level", "first", "rebound", "shape", "drawn"),
    "hire": ("team",),
}

PAGE = Page(
    name="people",
    label="People",
    number=4,
    blueprint=BLUEPRINT,
    asks=("plan", "show", "team", "measure", "figure", "seat", "order"),
    writes={path: (*fields, "plan") for path, fields in WRITES.items()},
    messages=("people",),
)
