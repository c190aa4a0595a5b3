"""The same question in every case, and what else could reach the goal."""

from dataclasses import dataclass
from math import isfinite

from widefork.core.analysis.goal_seek import Outcome, Solution
from widefork.core.errors import WideforkError
from widefork.web.pages.work_back.answer.found import instead, is_smallest, smallest, solved
from widefork.web.pages.work_back.answer.words import amount_words
from widefork.web.pages.work_back.sentence import Asked
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.context import View, sentence_of
from widefork.web.shared.goal_words import figure_words


@dataclass(frozen=True, kw_only=True)
class CaseRow:
    """One case: the figure as it stands there, the answer, and where to see it."""

    label: str
    name: str
    style: int
    is_active: bool
    now: str
    answer: str
    words: str


@dataclass(frozen=True, kw_only=True)
class InsteadRow:
    """An assumption that reaches it alone. ``phrase`` asks about it."""

    label: str
    phrase: str
    answer: str
    share: str
    range_words: str


def build_cases(view: View, asked: Asked) -> tuple[CaseRow, ...]:
    """Return the answer of every case, side by side; what cannot be asked in one says why."""
    model = view.snapshot.model
    rows = []
    for place, case in enumerate(model.cases):
        try:
            now, answer, words = _in_case(view, asked, case.name)
        except WideforkError as refused:
            now, answer, words = "–", "–", sentence_of(refused)
        rows.append(
            CaseRow(
                label=case.label, name=case.name, style=style_of(place), is_active=case.name == view.address.case,
                now=now, answer=answer, words=words,
            )
        )  # fmt: skip
    return tuple(rows)


def _in_case(view: View, asked: Asked, case: str) -> tuple[str, str, str]:
    model, goal = view.snapshot.model, asked.wanted[0]
    if is_smallest(asked):
        several = smallest(view, asked, case)
        now = figure_words(model, goal, several.figures_now[0])
        if several.outcome is Outcome.REACHED:
            moved = zip(asked.spanned, several.amounts, strict=True)
            words = [
                f"{each.label} {amount_words(model, each.lever, amount, is_exact=True)}"
                for each, amount in moved
                if amount != each.now
            ]
            return now, "reached", ", ".join(words)
        return now, several.outcome.value, ""
    found = solved(view, asked, case)
    return figure_words(model, goal, found.figure_now), *answer_words(view, found)


def answer_words(view: View, found: Solution) -> tuple[str, str]:
    """Return an answer in two columns: the amount or how it ended, and a few words."""
    model, lever = view.snapshot.model, found.goal.lever
    match found.outcome:
        case Outcome.REACHED:
            gives = figure_words(model, found.goal.wanted, found.figure_then)
            return amount_words(model, lever, found.amount, is_exact=True), f"gives {gives}"
        case Outcome.ALREADY:
            low, high = found.holds
            inner = [end for end, edge in ((low, found.goal.low), (high, found.goal.high)) if end != edge]
            until = " and ".join(amount_words(model, lever, end) for end in inner if isfinite(end))
            return "already there", f"holds to {until}" if until else "over the whole range"
        case Outcome.OUT_OF_REACH:
            if not isfinite(found.closest_figure):
                return "out of reach", "never in the plan"
            nearest = figure_words(model, found.goal.wanted, found.closest_figure)
            return "out of reach", f"closest {nearest} at {amount_words(model, lever, found.closest)}"
        case Outcome.HELD_BACK:
            return "held back", "what is kept would not hold"
    return found.outcome.value, ""


def build_instead(view: View, asked: Asked) -> tuple[InsteadRow, ...]:
    """Return the assumptions that reach the goal alone, the one that needs least of its range first."""
    model = view.snapshot.model
    rows = []
    for each in instead(view, asked, view.address.case):
        lever = each.solution.goal.lever
        gives = figure_words(model, each.solution.goal.wanted, each.solution.figure_then)
        rows.append(
            InsteadRow(
                label=model.line(each.line).label,
                phrase=each.line,
                answer=f"{amount_words(model, lever, each.solution.amount, is_exact=True)}, which gives {gives}",
                share=f"{formats.plain_number(each.share * 100, 0)} %",
                range_words="of the way to the end of its range"
                if each.has_range
                else "of the way to half as much or half as much again; it has no range",
            )
        )
    return tuple(rows)
