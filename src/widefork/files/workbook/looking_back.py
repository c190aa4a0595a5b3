"""Functions that look along the months, as cells: one for each, from the row looked at."""

from collections.abc import Callable, Mapping
from typing import Protocol

from widefork.core.language import syntax
from widefork.core.language.syntax import Node
from widefork.files.workbook.pieces import (
    ATOM,
    PRODUCT,
    SUM,
    Anchor,
    At,
    Fixed,
    Pieces,
    Place,
    Places,
    Ref,
    Text,
    call,
    so_far,
    window,
)  # fmt: skip


class Writer(Protocol):
    """What writes formulas, as these functions use it."""

    places: Places
    furthest_back: int

    def value(self, node: Node, place: Place) -> Text:
        """Return a piece at a combination of members."""


Written = Callable[[Writer, At, syntax.Call, Place], Text]


def _months(node: syntax.Call) -> int:
    return int(getattr(node.arguments[1], "value", 1)) if len(node.arguments) > 1 else 1


def _profile(node: syntax.Call) -> str:
    return str(getattr(node.arguments[1], "name", ""))


def _year_to_date(writer: Writer, row: At, node: syntax.Call, place: Place) -> Text:
    year = writer.places.counters["fiscal_year"]
    return call("SUMIF", so_far(year), (Ref(year),), so_far(row))


def _trailing_mean(writer: Writer, row: At, node: syntax.Call, place: Place) -> Text:
    months = _months(node)
    return Text(("SUM(", *window(row, 1 - months, 0), f")/{months}"), PRODUCT)


def _whole_flow(writer: Writer, row: At, node: syntax.Call, place: Place) -> Text:
    reached: Pieces = ("SUM(", *so_far(row), ")")
    return Text((*_whole(reached), "-", *_whole((*reached, "-", Ref(row)))), SUM)


def _whole(reached: Pieces) -> Pieces:
    return ("SIGN(", *reached, ")*INT(ABS(", *reached, ")+0.5+1E-9)")


def _by_age(writer: Writer, row: At, node: syntax.Call, place: Place) -> Text:
    """Joins by their age: the profile over its ages but the last, and its last value for all older ones."""
    curve = writer.places.profiles[_profile(node)]
    young = curve.last - curve.first  # ages 0 to one before the last
    older: Pieces = ("SUM(", Anchor(row, True), ":", Ref(row, -young), ")*", Fixed(curve.at, curve.first, curve.first))
    if not young:
        return Text(older, PRODUCT)
    ages = Fixed(curve.at, curve.first + 1, curve.last)
    return Text(("SUMPRODUCT(", *window(row, 1 - young, 0), ",", ages, ")+", *older), SUM)


def _fading_in(writer: Writer, row: At, node: syntax.Call, place: Place) -> Text:
    steps = writer.places.steps[_profile(node)]
    return call("SUMPRODUCT", window(row, steps.first - steps.last, 0), (steps,))


def _outstanding(writer: Writer, row: At, node: syntax.Call, place: Place) -> Text:
    """A flow's last days: of each month by its age what of it lies within the days, between nothing and all."""
    days = writer.value(node.arguments[1], place)
    reach: Pieces = ("(", *days.within(PRODUCT), "/30-", writer.places.ages, ")")
    still_open = ("(", *reach, ">=1)+(", *reach, ">0)*(", *reach, "<1)*", *reach)
    return call("SUMPRODUCT", (*window(row, 1 - writer.furthest_back, 0), "*(", *still_open, ")"))


def _net_present_value(writer: Writer, row: At, node: syntax.Call, place: Place) -> Text:
    rate, number = writer.value(node.arguments[1], place), writer.places.counters["month_number"]
    return call("SUMPRODUCT", (*so_far(row), "/(1+", *rate.within(SUM), ")^(", *so_far(number), "/12)"))


LOOKING_BACK: Mapping[str, Written] = {
    "before": lambda writer, row, node, place: Text((Ref(row, -_months(node)),), ATOM),
    "after": lambda writer, row, node, place: Text((Ref(row, _months(node)),), ATOM),
    "running_total": lambda writer, row, node, place: call("SUM", so_far(row)),
    "trailing": lambda writer, row, node, place: call("SUM", window(row, 1 - _months(node), 0)),
    "year_to_date": _year_to_date, "trailing_mean": _trailing_mean, "straight_line": _trailing_mean,
    "whole_flow": _whole_flow, "ramped": _by_age, "surviving": _by_age, "fading_in": _fading_in,
    "outstanding": _outstanding, "net_present_value": _net_present_value,
}  # fmt: skip
