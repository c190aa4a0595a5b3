"""Ranges given where they are missed: for a section at once, or one by one."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.core.look import PlausibleRange
from widefork.web.shared.context import View
from widefork.web.shared.formats import read_number
from widefork.web.shared.ranges import range_words, read_range


@dataclass(frozen=True, kw_only=True)
class Missing:
    """An assumption without a range. ``value`` is what it is now, in words."""

    name: str
    label: str
    unit: str


@dataclass(frozen=True, kw_only=True)
class SectionMissing:
    """A section's assumptions that nobody gave a range."""

    name: str
    label: str
    lines: tuple[Missing, ...]


def missing_ranges(model: Model, names: Sequence[str]) -> tuple[SectionMissing, ...]:
    """Return assumptions without a range by section, the sections with most of them first."""
    found = []
    for section in model.sections:
        lines = tuple(
            Missing(name=name, label=model.line(name).label, unit=model.line(name).unit)
            for name in names
            if model.line(name).section == section.name
        )
        if lines:
            found.append(SectionMissing(name=section.name, label=section.label, lines=lines))
    return tuple(sorted(found, key=lambda each: -len(each.lines)))


def section_ranges(view: View, section: str, names: Sequence[str], text: str) -> dict[str, PlausibleRange]:
    """Return the same relative range for all assumptions of a section that have none, but those that are 0.

    Raises
    ------
    InvalidValue: not a per cent above 0 and at most 100, or nothing to give one to.
    """
    share = read_number(text.strip().lstrip("±").removesuffix("%")) / 100
    if not 0 < share <= 1:
        raise InvalidValue(f"Expected a per cent above 0 and at most 100, like 10; got “{text.strip()}”.")
    model = view.snapshot.model
    found = {}
    for name in names:
        line = model.line(name)
        if line.section == section and line.plausible is None:
            most = _most(view, line)
            if most:
                room = 1 / most - 1 if line.unit == "%" and 0 < most <= 1 else share
                found[name] = PlausibleRange(-share, 0.0, min(share, room), is_relative=True)
    if not found:
        raise InvalidValue("All of them are 0 now, and a percentage of 0 is nothing. Give each its own range below.")
    return found


def _most(view: View, line: Line) -> float:
    values = view.snapshot.results.values(line.name)[..., view.snapshot.model.timeline.actual_count :, view.place]
    return float(np.abs(np.nan_to_num(values)).max(initial=0.0))


def read_ranges(view: View, names: Sequence[str], texts: Sequence[str]) -> dict[str, PlausibleRange | None]:
    """Return the ranges typed one by one; fields left as they were are left out.

    Raises
    ------
    InvalidValue: a range that cannot be read, with the line it is of. UnknownName: no such line.
    """
    model, found = view.snapshot.model, {}
    for name, text in zip(names, texts, strict=True):
        line = model.line(name)
        if text.strip() == range_words(line.plausible, line.unit):
            continue
        usual = float(np.nan_to_num(view.snapshot.results.values(name)[..., view.place]).mean())
        try:
            found[name] = read_range(text, line.unit, usual)
        except InvalidValue as fault:
            raise InvalidValue(f"{line.label}: {fault.sentence}") from fault
    if not found:
        raise InvalidValue("No range was typed. Write one like 42 to 49, or −10 % to +5 %.")
    return found
