"""Assumptions and calculated lines over months."""

from widefork.web.pages.drivers.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(
    name="drivers",
    label="Drivers",
    number=3,
    blueprint=BLUEPRINT,
    asks=("open", "shape", "kind", "only", "unlocked", "focus", "section", "line", "at", "month", "behind"),
    pieces=("cell", "formula", "line", "section", "words"),
    writes={
        "cells": ("gesture", "unlocked"),
        "rule": ("line", "at", "phrase", "kind", "f.", "f.<field>"),
        "formula": ("line", "formula", "month"),
        "formula/try": ("line", "formula", "month"),
        "line": ("line", "label", "name", "unit", "section", "over", "formula", "amount", "note", "range", "decimals",
                 "scale", "emphasis", "tint", "space_above", "allow_loop", "posts_to", "over_time", "over_members",
                 "numerator", "denominator", "behind"),
        "line/<doing>": ("line",),
        "section/<doing>": ("section", "label", "note"),
    },
    messages=("editor", "gesture", "panel", "shape"),
)  # fmt: skip
