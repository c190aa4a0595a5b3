"""What is permanent of what rows speak of: a line's id, a schedule's part, a caption; and months as text."""

from dataclasses import dataclass

from widefork.core.axes import Month
from widefork.core.finance.schedules import SCHEDULES, SettingKind
from widefork.core.finance.settlement import SETTLED

SETTLED_PREFIX = f"{SETTLED}_"
"""Begins the name of a settlement; its target says whose it is, so that it follows when that is renamed."""


@dataclass(frozen=True)
class Target:
    """What a change or figure is about: a line by id, a schedule's part, or a caption (part alone)."""

    line_id: int | None = None
    schedule_id: int | None = None
    part: str | None = None

    @classmethod
    def of_key(cls, key: str) -> "Target":
        """Return the target a text made by ``key`` speaks of."""
        kind, _, rest = key.partition(":")
        if kind == "line":
            return cls(line_id=int(rest))
        if kind == "schedule":
            owner, _, part = rest.partition(":")
            return cls(schedule_id=int(owner), part=part)
        return cls(part=rest)

    @property
    def key(self) -> str:
        """The target as text, for the log's subjects and for documents."""
        if self.line_id is not None:
            return f"line:{self.line_id}"
        return f"schedule:{self.schedule_id}:{self.part}" if self.schedule_id is not None else f"caption:{self.part}"


def month_of(text: str | None) -> Month | None:
    """Return the month a row's text names; None for none."""
    return Month.parse(text) if text else None


def text_of(month: Month | None) -> str | None:
    """Return a month as a row's text; None for none."""
    return str(month) if month is not None else None


def line_settings(kind: str) -> set[str]:
    """Return the settings of a kind of schedule that name lines, which are stored by id."""
    if kind not in SCHEDULES:
        return set()
    return {setting.key for setting in SCHEDULES[kind].settings if setting.kind is SettingKind.LINES}
