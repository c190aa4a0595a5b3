"""The sentence over a forecast as a form: read from an address or from what was sent, with what could not be read."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.analysis.trends import BEST, BY_HAND, COMBINED, METHODS, SHAPE_OF_ANOTHER, Known
from widefork.core.errors import InvalidValue
from widefork.core.history import Gaps, Recipe
from widefork.web.shared import formats

QUESTION = ("horizon", "method", "amount", "inside", "season", "gaps", "sign", "whole", "growth", "like")
INSIDE = (("0.5", "5 of 10"), ("0.8", "8 of 10"), ("0.9", "9 of 10"), ("0.95", "95 of 100"))
LONGEST = 240
USUAL_LAST = 3
"""Months a mean of the last is of, where nobody says how many."""


@dataclass(frozen=True, kw_only=True)
class Asked:
    """What a forecast is asked by: its recipe, and the fields as they stand, wrong ones with what is wrong."""

    recipe: Recipe
    texts: Mapping[str, str]
    faults: Mapping[str, str]


def method_choices(period: str) -> tuple[tuple[str, str], ...]:
    """Return the methods there are: name, and what it is called in a sentence."""
    proposed = ((BEST, "whichever tests best"), (COMBINED, "the mean of the best"))
    by_hand = (
        ("last_year", "last year, and a rate"),
        ("shape_of_years", "past years’ shape, and a rate"),
        ("mean_of_last", f"the mean of the last {period}s"),
        (SHAPE_OF_ANOTHER, "the shape of another series"),
    )
    return (*proposed, *((method.name, method.label.lower()) for method in METHODS), *by_hand)


def asked_of(recipe: Recipe) -> dict[str, str]:
    """Return a recipe as the fields of the sentence; the inverse of ``read_asked``."""
    amount = ""
    if recipe.method in ("last_year", "shape_of_years"):
        amount = f"{recipe.amount * 100:g}"
    elif recipe.method == "mean_of_last":
        amount = f"{recipe.amount:g}"
    return {
        "horizon": str(recipe.horizon) if recipe.horizon else "",
        "method": recipe.method if recipe.method != BEST else "",
        "amount": amount,
        "inside": f"{recipe.level:g}" if recipe.level != 0.8 else "",
        "season": str(recipe.season) if recipe.season else "",
        "gaps": recipe.gaps.value if recipe.gaps is not Gaps.INTERPOLATE else "",
        "sign": {None: "", True: "not below 0", False: "any"}[recipe.is_non_negative],
        "whole": "yes" if recipe.is_whole else "",
        "growth": "" if recipe.growth is None else f"{recipe.growth * 100:g}",
        "like": recipe.like,
    }


def read_asked(values: Mapping[str, str], known: Known) -> Asked:
    """Return what is asked; what cannot be read is as usual, and said."""
    texts = {key: " ".join(values.get(key, "").split()) for key in QUESTION}
    faults: dict[str, str] = {}
    method = texts["method"] if texts["method"] in dict(method_choices("")) else BEST
    level = float(texts["inside"]) if texts["inside"] in dict(INSIDE) else 0.8
    recipe = Recipe(
        method, _amount(method, texts, faults), _whole("horizon", texts, faults, 1, LONGEST, f"{known.raw.period}s"),
        _whole("season", texts, faults, 1, LONGEST, f"{known.raw.period}s"), level,
        Gaps(texts["gaps"]) if texts["gaps"] in [way.value for way in Gaps] else Gaps.INTERPOLATE,
        {"not below 0": True, "any": False}.get(texts["sign"]), texts["whole"] == "yes",
        _rate("growth", texts, faults, 0), texts["like"] if method == SHAPE_OF_ANOTHER else "",
    )  # fmt: skip
    return Asked(recipe=recipe, texts=texts, faults=faults)


def _amount(method: str, texts: dict[str, str], faults: dict[str, str]) -> float:
    if method == "mean_of_last":
        return float(_whole("amount", texts, faults, 1, LONGEST, "of the last") or USUAL_LAST)
    if method in BY_HAND:
        return _rate("amount", texts, faults, -100) or 0.0
    return 0.0


def _whole(key: str, texts: dict[str, str], faults: dict[str, str], least: int, most: int, of: str) -> int:
    text = texts[key]
    if not text:
        return 0
    if not text.isdecimal() or not least <= int(text) <= most:
        faults[key] = f"{_NAMES[key]}: expected {least} to {most} {of}; “{text}” came. It is left as usual."
        return 0
    return int(text)


def _rate(key: str, texts: dict[str, str], faults: dict[str, str], least: float) -> float | None:
    text = texts[key].removesuffix("%").strip()
    if not text:
        return None
    try:
        found = formats.read_number(text)
        if not least <= found <= 1000 or (key == "amount" and found <= -100):
            raise InvalidValue("out of bounds")
    except InvalidValue:
        faults[key] = f"{_NAMES[key]}: expected a rate like 3 %; “{texts[key]}” came. It is left as usual."
        return None
    return round(found / 100, 10)


_NAMES = {"horizon": "How far ahead", "season": "Season", "amount": "Rate or count", "growth": "Growth"}
