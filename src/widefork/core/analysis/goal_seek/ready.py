"""Questions ready to ask of a model: from what it sells, whom it pays and is paid by, and where it is tight."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from widefork.core.analysis.figures import figure_amounts, figures_amounts
from widefork.core.analysis.goal_seek.lever_words import counts_things
from widefork.core.analysis.grid import line_phrase
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.figures import Figure, Reduction
from widefork.core.goals import Sense
from widefork.core.graph.model import ScheduleSettings
from widefork.core.graph.plan import Plan

MOST_PRICES, MOST_VOLUMES, MOST_PAYERS, MOST_MOVES, MOST_SEATS, MOST_TEAMS = 2, 2, 2, 2, 2, 2
SMALL = 0.01
"""By so much assumptions are moved to see which matters more."""
LATER, DAYS, RATE = 24, 180, 0.4
"""How far is looked: months later, days until paid, a rate a year."""


class ReadyKind(StrEnum):
    """What a ready question is about."""

    PRICE_FLOOR = "price floor"
    PRICE_FOR = "price for more"
    DEMAND_FLOOR = "demand floor"
    ALL_DEMAND = "all demand"
    PAID_LATE = "paid late"
    MONEY = "money"
    HEADS = "heads"
    SEAT_LATE = "seat late"
    VOLUME_FOR = "volume for more"
    MOVE_WHEN = "move when"
    RATE_BORNE = "rate borne"


@dataclass(frozen=True)
class Ready:
    """One question.

    Parameters
    ----------
    about : label of what it is about. figure : phrase of what is wanted; empty for money, which asks for no lever.
    target : in the figure's unit. levers : (phrase, low, high), in words; several go in proportion.
    first, last : months the change lies in; None is open. start : of a seat, the month its amounts count from.
    """

    kind: ReadyKind
    about: str
    figure: str = ""
    sense: Sense = Sense.AT_LEAST
    target: float = 0.0
    levers: tuple[tuple[str, str, str], ...] = ()
    first: Month | None = None
    last: Month | None = None
    start: Month | None = None


def ready_questions(plan: Plan, case: str) -> tuple[Ready, ...]:
    """Return the questions worth asking of a model, those about what moves it most first of their kind.

    None where nothing posts to revenue or costs yet.
    """
    model = plan.model
    if not {"revenue", "ebitda", "headroom"} <= model.line_by_name.keys() or not plan.assumptions_behind("ebitda"):
        return ()
    return _Asker(plan, case).questions()


class _Asker:
    def __init__(self, plan: Plan, case: str) -> None:
        self.plan, self.case, self.model = plan, case, plan.model
        self.changes = plan.model.changes_of(case)
        years = [year for year in self.model.timeline.fiscal_years() if not year.is_cut]
        ahead = [year for year in years if year.first >= self.model.timeline.first_plan] or years
        self.year = ahead[0] if ahead else None
        self.room = f"lowest {line_phrase(self.model, 'headroom')}"
        first, last = (self.year.first, self.year.last) if self.year else (self.model.timeline.first_plan, None)
        self.profit = Figure("profit", "EBITDA", "ebitda", (), first, last, Reduction.SUM)
        when = f" in {self.year.label}" if self.year else ""
        self.profit_phrase = f"{line_phrase(self.model, 'ebitda')}{when}"

    def questions(self) -> tuple[Ready, ...]:
        behind = [self.model.line(name) for name in self.plan.assumptions_behind("revenue")]
        own = [line for line in behind if line.is_assumption and line.source is None]
        currency = self.model.currency
        prices = self.ranked([line.name for line in own if line.unit.startswith(f"{currency}/")])
        volumes = self.ranked([line.name for line in own if counts_things(line, currency) and "/" not in line.unit])
        volumes = [name for name in volumes if name not in self.of_people()]
        now = float(figure_amounts(self.plan, [self.changes], self.profit)[0])
        more = _rounded_up(now * 1.1) if now > 0 else 0.0
        found: list[Ready] = []
        for name in prices[:MOST_PRICES]:
            lever = ((line_phrase(self.model, name), "-90 %", "+100 %"),)
            found.append(self.of(ReadyKind.PRICE_FLOOR, name, self.profit_phrase, 0.0, lever))
        for name in prices[:1]:
            lever = ((line_phrase(self.model, name), "-90 %", "+100 %"),)
            found.append(self.of(ReadyKind.PRICE_FOR, name, self.profit_phrase, more, lever))
        for name in volumes[:MOST_VOLUMES]:
            lever = ((line_phrase(self.model, name), "-100 %", "+200 %"),)
            found.append(self.of(ReadyKind.DEMAND_FLOOR, name, self.room, 0.0, lever))
        if len(volumes) > 1:
            levers = tuple((line_phrase(self.model, name), "-100 %", "+0 %") for name in volumes[:8])
            others = len(levers) - 1
            label = f"{self.model.line(volumes[0]).label} and {others} more volume{'' if others == 1 else 's'}"
            found.append(Ready(ReadyKind.ALL_DEMAND, label, self.room, Sense.AT_LEAST, 0.0, levers))
        for name in volumes[:1]:
            lever = ((line_phrase(self.model, name), "-100 %", "+200 %"),)
            found.append(self.of(ReadyKind.VOLUME_FOR, name, self.profit_phrase, more, lever))
        found += [*self.payers(), Ready(ReadyKind.MONEY, "money"), *self.people(), *self.moves(), *self.rates()]
        return tuple(found)

    def of(
        self, kind: ReadyKind, line: str, figure: str, target: float, levers: tuple[tuple[str, str, str], ...]
    ) -> Ready:
        return Ready(kind, self.model.line(line).label, figure, Sense.AT_LEAST, target, levers)

    def ranked(self, names: Sequence[str]) -> list[str]:
        """Assumptions by what a small move of them does to the year's profit, most first; those that do nothing go."""
        if not names:
            return []
        moved = [(*self.changes, Change(name, Operation.SCALE, 1 + SMALL)) for name in names]
        amounts = figure_amounts(self.plan, [self.changes, *moved], self.profit)
        effects = np.nan_to_num(np.abs(amounts[1:] - amounts[0]))
        order = sorted(range(len(names)), key=lambda place: -effects[place])
        return [names[place] for place in order if effects[place] > 0]

    def of_kind(self, kind: str) -> list[ScheduleSettings]:
        return [schedule for schedule in self.model.schedules if schedule.kind == kind]

    def of_people(self) -> set[str]:
        keys = ("hires", "returns", "let_go", "demand")
        return {name for each in self.of_kind("people") for key in keys for name in each.settings.get(key, ())}

    def payers(self) -> list[Ready]:
        """How late those who pay may pay, the largest first as the model has them."""
        found = []
        for schedule in self.of_kind("receivables"):
            name = f"{schedule.name}_days"
            if name not in self.model.line_by_name:
                continue
            lever = ((line_phrase(self.model, name), "0", f"{DAYS}"),)
            found.append(Ready(ReadyKind.PAID_LATE, schedule.label, self.room, Sense.AT_LEAST, 0.0, lever))
        return found[:MOST_PAYERS]

    def people(self) -> list[Ready]:
        """How many more can be paid, and how late planned seats may start."""
        found: list[Ready] = []
        first = self.model.timeline.first_plan
        for schedule in self.of_kind("people"):
            hires = [name for name in schedule.settings.get("hires", ()) if name in self.model.line_by_name]
            register = self.model.dimension_by_name.get(schedule.settings.get("register", ""))
            if hires and register is not None:
                phrase = line_phrase(self.model, hires[0])
                found += [
                    Ready(
                        ReadyKind.HEADS, team, self.room, Sense.AT_LEAST, 0.0,
                        ((f"{phrase} at {team}", "+0", "+30"),), first, first,
                    )
                    for team in self.shortest(schedule, register.members)[:MOST_TEAMS]
                ]  # fmt: skip
            found += self.seats(schedule)
        return found

    def shortest(self, schedule: ScheduleSettings, teams: Sequence[str]) -> list[str]:
        """Teams by how many heads they are short at most, the shortest first."""
        line = f"{schedule.name}_short"
        if line not in self.model.line_by_name:
            return list(teams)
        first = self.model.timeline.first_plan
        figures = [Figure(team, team, line, (team,), first, None, Reduction.HIGHEST) for team in teams]
        amounts = np.nan_to_num(figures_amounts(self.plan, [self.changes], figures)[:, 0])
        return [teams[place] for place in np.argsort(-amounts, kind="stable")]

    def seats(self, schedule: ScheduleSettings) -> list[Ready]:
        seats = self.model.dimension_by_name.get(schedule.settings.get("seats", ""))
        later, short = f"{schedule.name}_seat_later", f"{schedule.name}_short"
        if seats is None or not {later, short} <= self.model.line_by_name.keys():
            return []
        found = []
        for seat in seats.members:
            known = seats.attributes.get(seat, {})
            start = known.get("start")
            team = str(known.get("team", ""))
            if start is None or known.get("move") or Month.parse(str(start)) <= self.model.timeline.first_plan:
                continue
            figure = Figure("short", "Short", short, (team,), self.model.timeline.first_plan, None, Reduction.HIGHEST)
            now = float(figure_amounts(self.plan, [self.changes], figure)[0])
            if not np.isfinite(now):
                continue
            phrase = f"highest {line_phrase(self.model, short)} at {team}"
            lever = ((f"{line_phrase(self.model, later)} at {seat}", "0", f"{LATER}"),)
            begins = Month.parse(str(start))
            found.append(Ready(ReadyKind.SEAT_LATE, seat, phrase, Sense.AT_MOST, now, lever, start=begins))
        return found[:MOST_SEATS]

    def moves(self) -> list[Ready]:
        """When moves may start: those that are on in some case first."""
        on = {layer.move for case in self.model.cases for layer in self.model.layers_of(case.name) if layer.move}
        timeline = self.model.timeline
        ordered = sorted(self.model.moves, key=lambda move: move.name not in on)
        span = (timeline.first_plan.label, timeline.end.label)
        return [
            Ready(
                ReadyKind.MOVE_WHEN, move.label, self.room, Sense.AT_LEAST, 0.0, ((f"start of {move.label}", *span),)
            )
            for move in ordered[:MOST_MOVES]
            if move.changes
        ]  # fmt: skip

    def rates(self) -> list[Ready]:
        """Which rate a loan can bear, its interest earned twice."""
        if "interest_cover" not in self.model.line_by_name or self.year is None:
            return []
        cover = f"{line_phrase(self.model, 'interest_cover')} in {self.year.label}"
        return [
            Ready(
                ReadyKind.RATE_BORNE, loan.label, cover, Sense.AT_LEAST, 2.0,
                ((line_phrase(self.model, f"{loan.name}_rate"), "0 %", f"{RATE * 100:g} %"),),
            )
            for loan in self.of_kind("loan")[:1]
            if f"{loan.name}_rate" in self.model.line_by_name
        ]  # fmt: skip


def _rounded_up(amount: float) -> float:
    """To two digits, as a goal is set."""
    unit = 10.0 ** (np.floor(np.log10(amount)) - 1)
    return float(np.ceil(amount / unit) * unit)
