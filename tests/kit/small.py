"""Small models for tests, built in one line each."""

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.engine import evaluate
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan, compile_model
from widefork.core.lines import Line, Section
from widefork.core.rules import RULES, read_rule

START = Month(2026, 1)
REGION = Dimension("region", ("Coast", "Valley", "Upland"))
SECTION = Section("all", "All")


def given(name, document, over=(), **more):
    """An assumption by one rule, or by a rule for each member."""
    rules = (
        document if isinstance(document, dict) and all(isinstance(key, tuple) for key in document) else {(): document}
    )
    return Line(
        name, name.title(), section="all", dimensions=over,
        rules={key: read_rule(RULES, rule) for key, rule in rules.items()}, **more,
    )  # fmt: skip


def calculated(name, formula, over=(), **more):
    """A calculated line."""
    return Line(name, name.title(), section="all", dimensions=over, formula=formula, **more)


def model_of(*lines, months=6, actual_to=None, **more):
    """A model of these lines over region, from January 2026."""
    timeline = more.pop("timeline", Timeline(START, months, 1, actual_to))
    dimensions = (REGION, *more.pop("more_dimensions", ()))
    sections = (SECTION, *more.pop("more_sections", ()))
    return Model("Test", "EUR", timeline, dimensions, sections, tuple(lines), **more)


def plan_of(*lines, **more) -> Plan:
    """The compiled model of these lines, without statements."""
    return compile_model(model_of(*lines, **more))


def series(plan, name, members=(), changes=()):
    """One line's months, as a list."""
    return evaluate(plan, [changes]).series(name, members).tolist()


def company(*schedules, lines=(), months=24, opening_balances=None, **more) -> Plan:
    """A company with revenue and cost of its own, these schedules and the statements."""
    own = (
        given("sales", more.pop("sales", 1000), posts_to="revenue"),
        given("costs", more.pop("costs", 600), posts_to="cost_of_sales"),
        *lines,
    )
    model = model_of(*own, months=months, schedules=schedules, opening_balances=opening_balances or {}, **more)
    return build_plan(model)
