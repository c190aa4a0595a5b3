"""Checks of what was given: nothing twice, nothing left out, nothing that cannot be."""

from collections.abc import Iterator

import numpy as np

from widefork.core.finance.checks.check import Check, Checked, Finding
from widefork.core.finance.schedules import Draft
from widefork.core.finance.statements.caption import Statement
from widefork.core.finance.statements.captions import CAPTION_BY_NAME
from widefork.core.finance.when_paid import posts_nowhere
from widefork.core.graph.plan import Plan
from widefork.core.language.syntax import Call, Name, Node, Operation


def _computed(checked: Checked) -> Iterator[Finding]:
    plan = checked.results.plan
    for name, problem in plan.problems.items():
        if problem.error is not None:
            yield Finding("", None, float("nan"), f"{plan.model.line(name).label}: {problem.sentence}", name)
    missing = {name: ~np.isfinite(checked.results.values(name)) for name in _computable(checked)}
    broken = {name for name, where in missing.items() if where.any()}
    for name in sorted(broken):
        if (plan.needs[name].names & broken if name in plan.needs else set()) - {name}:
            continue  # it only passes on what has no value already
        where = np.asarray(missing[name].any(axis=tuple(range(missing[name].ndim - 2))))
        for place in np.flatnonzero(where.any(axis=0)):
            month = checked.months[int(where[:, place].argmax())]
            cause = f"{plan.model.line(name).label} has no value; its Roots show where that begins."
            yield Finding(checked.cases[int(place)], month, float("nan"), cause, name)


def _computable(checked: Checked) -> Iterator[str]:
    """The modeller's own lines and the rows of the statements; what schedules only tell may have nothing to tell."""
    plan = checked.results.plan
    for line in plan.model.lines:
        if (not line.is_generated or line.name in CAPTION_BY_NAME) and line.name not in plan.problems:
            yield line.name


def _loops(checked: Checked) -> Iterator[Finding]:
    for name, place in checked.results.unsolved.items():
        if name in checked.results.plan.model.line_by_name:
            label = checked.results.plan.model.line(name).label
            cause = f"{label} needs itself in the month and did not settle; interest on the opening balance would."
            yield Finding("", checked.months[place], float("nan"), cause, name)


def _shares(checked: Checked) -> Iterator[Finding]:
    for draft in checked.drafts:
        name = draft.name("shares")
        if not any(line.name == name for line in draft.lines):
            continue
        for place, case in enumerate(checked.cases):
            gaps = checked.series(name, place) - 1
            wrong = np.flatnonzero(np.abs(gaps) > 1e-9)
            if wrong.size:
                total = 1 + float(gaps[wrong[0]])
                cause = f"The shares paid of {draft.given.label} add to {total * 100:g} %, not to 100 %."
                yield Finding(case, checked.months[int(wrong[0])], float(gaps[wrong[0]]), cause, name)


def _twice(checked: Checked) -> Iterator[Finding]:
    plan = checked.results.plan
    posting = {line.name for line in plan.model.lines if line.posts_to and not line.is_generated}
    for name in sorted(posting & set(plan.formulas)):
        for part in sorted(_terms(plan.formulas[name]) & posting):
            if _statement(plan, name) is not _statement(plan, part):
                continue  # each side of an entry posts once: what is sold and what is received, to what is owed
            outer, inner = plan.model.line(name).label, plan.model.line(part).label
            cause = f"{inner} posts by itself and is part of {outer}, which posts too."
            yield Finding("", None, float("nan"), cause, name)


def _statement(plan: Plan, name: str) -> Statement | None:
    posts_to = plan.model.line(name).posts_to
    within = {row.name: row.within for row in plan.model.statements.rows}
    caption = CAPTION_BY_NAME.get(within.get(posts_to, posts_to))
    return caption.statement if caption is not None else None


def _terms(node: Node) -> set[str]:
    """The lines a formula adds up, whole: not what it takes shares or products of."""
    match node:
        case Name(name=name):
            return {name}
        case Operation(operator="+" | "-", left=left, right=right):
            return _terms(left) | _terms(right)
        case Call(function="sum_over", arguments=arguments):
            return _terms(arguments[0])
    return set()


def _left_out(checked: Checked) -> Iterator[Finding]:
    plan = checked.results.plan
    for name in posts_nowhere(plan):
        cause = f"{plan.model.line(name).label} is an amount that reaches no row of the income statement."
        yield Finding("", None, float("nan"), cause, name)


TOLERATED = 0.005
"""Half a cent."""


def _negative(checked: Checked, kind: str, part: str, cause: str) -> Iterator[Finding]:
    for draft in _of_kind(checked, kind):
        name = draft.name(part)
        for place, case in enumerate(checked.cases):
            months = checked.series(name, place)
            wrong = np.flatnonzero(months < -TOLERATED)
            if wrong.size:
                told = cause.format(label=draft.given.label)
                yield Finding(case, checked.months[int(wrong[0])], float(months[wrong[0]]), told, name)


def _of_kind(checked: Checked, kind: str) -> list[Draft]:
    return [draft for draft in checked.drafts if draft.schedule.name == kind]


def _possible(checked: Checked) -> Iterator[Finding]:
    less = "{label} would %s less than nothing: the balance grows by more than is invoiced. Count days back instead."
    yield from _negative(checked, "receivables", "collected", less % "collect")
    yield from _negative(checked, "payables", "paid", less % "pay")
    yield from _negative(checked, "overdraft", "limit", "The limit of {label} is below 0; it is the most a bank lends.")


COMPUTED = Check(
    "computed", "Everything computed", "Every line and every row of the statements has a value.", _computed
)
LOOPS = Check("loops", "Loops settle", "What needs itself in the same month settles there, to a 10⁻¹² share.", _loops)
SHARES = Check("shares", "Shares", "Shares paid add to 100 % in every month.", _shares)
TWICE = Check(
    "twice", "Nothing twice", "No amount is posted by itself and again within another on the same statement.", _twice
)
LEFT_OUT = Check("left_out", "Nothing left out", "Every amount worked out reaches the income statement.", _left_out)
POSSIBLE = Check(
    "possible", "Possible payments", "Nobody collects or pays less than nothing; no limit is below 0.", _possible
)
