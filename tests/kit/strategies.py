"""Random models for laws: everything a user can own, always computable."""

from dataclasses import replace

from hypothesis import strategies as st

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import Aim, ByAge, ByHand, ByRule, Case, Change, Move, Operation, Status, Switch
from widefork.core.closing import NOT_GIVEN, Closing
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.flags import Flag
from widefork.core.goals import PinnedGoal, Sense
from widefork.core.graph.model import Limit, Model, OwnRow, Profile, Rhythm, ScheduleSettings, StatementSettings
from widefork.core.history import Gaps, History, KeptForecast, Recipe, Step, StepKind
from widefork.core.lines import BALANCE, Line, OverMembers, OverTime, Rollup, Section
from widefork.core.liquidity import DayRule, Liquidity
from widefork.core.look import Emphasis, Look, PlausibleRange, Scale, Tint
from widefork.core.rules import RULES, read_rule
from widefork.core.spreads import Applied, Correlation, Redrawn, Shape, SpreadSetting

amounts = st.floats(-1e6, 1e6).map(lambda v: round(v, 4))
labels = st.text(alphabet="abc XYZ äéß 价格:,'\"%#-", min_size=1, max_size=12)
optional_month = st.none() | st.builds(Month, st.integers(2025, 2029), st.integers(1, 12))
switches = st.builds(Switch, st.just("push"), optional_month, st.floats(0, 1.5))
REGION = Dimension("region", ("Coast", "North shore", "2nd"))
PRODUCT = Dimension(
    "product",
    ("Kit", "Panel"),
    attributes={"Kit": {"region": "Coast", "weight": 1.5}, "Panel": {"region": "2nd", "made_by": "Okan"}},
)


looks = st.builds(
    Look, st.none() | st.integers(0, 6), st.none() | st.sampled_from(Scale), st.none() | st.sampled_from(Emphasis),
    st.none() | st.sampled_from(Tint), st.booleans(),
)  # fmt: skip
limits = st.lists(st.floats(-0.9, 9).map(lambda v: round(v, 4)), min_size=3, max_size=3).map(sorted)
some_range = st.builds(lambda found, shares: PlausibleRange(*found, shares), limits, st.booleans())
ranges = st.none() | some_range


@st.composite
def rules(draw):
    """Any entry rule."""
    month = st.builds(Month, st.integers(2026, 2028), st.integers(1, 12)).map(str)
    documents = st.one_of(
        amounts,
        st.builds(lambda pairs: {"steps": pairs}, st.dictionaries(month, amounts, min_size=1, max_size=4)),
        st.builds(lambda pairs: {"one_off": pairs}, st.dictionaries(month, amounts, min_size=1, max_size=3)),
        st.builds(
            lambda pairs: {"by_year": pairs}, st.dictionaries(st.integers(2026, 2029), amounts, min_size=1, max_size=3)
        ),
        st.builds(
            lambda base, rate, pace, since: {"growth": {"base": base, "rate": rate, "pace": pace, "since": since}},
            amounts,
            st.floats(-0.5, 0.5),
            st.sampled_from(["each month", "once a year", "a year, smoothly"]),
            month,
        ),
        st.builds(
            lambda start, values: {"monthly": {"start": start, "amounts": values}},
            month,
            st.lists(amounts, min_size=1, max_size=6),
        ),
        st.builds(
            lambda season, values: {
                "forecast": {
                    "name": "a",
                    "by": "b",
                    "known": 9,
                    "season": season,
                    "start": "2026-07",
                    "amounts": values,
                }
            },
            st.integers(1, 4),
            st.lists(amounts, min_size=1, max_size=6),
        ),
        st.builds(
            lambda pairs: {"by_quarter": pairs},
            st.dictionaries(st.sampled_from(["2026Q1", "2026Q4", "2027Q3"]), amounts, min_size=1),
        ),
        st.builds(
            lambda pairs, by: {"totals": {"of": pairs, "spread": by}},
            st.dictionaries(st.sampled_from(["FY2026", "2027Q1", "2027Q2", "FY2028"]), amounts, min_size=1),
            st.sampled_from(["evenly", "by days", [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11]]),
        ),
        st.builds(
            lambda total, shape: {"seasonal": {"totals": {2026: total}, "shape": [*shape, 1.0]}},
            amounts,
            st.lists(st.floats(0, 9), min_size=11, max_size=11),
        ),
    )
    return read_rule(RULES, draw(documents))


arrangements = st.builds(
    StatementSettings,
    st.sampled_from(["classic", "by_category"]),
    st.dictionaries(st.sampled_from(["revenue", "cash"]), labels, max_size=2),
    st.just(()) | labels.map(lambda label: (OwnRow("research", label, "people_costs"),)),
    st.sampled_from([(), ("marketing_costs", "people_costs")]),
)


liquidity = st.builds(
    Liquidity,
    st.none() | amounts.map(lambda amount: read_rule(RULES, amount)),
    st.dictionaries(st.sampled_from(["terms_collected", "sales_tax_payments", "settled_costs"]),
                    st.sampled_from(["spread", "end", "1", "15", "31"]).map(DayRule.parse)),
    st.sampled_from([(), ("terms",)]),
)  # fmt: skip
spreads = st.just(()) | st.builds(
    lambda shape, held, rhythm, persistence, plausible, applied, member: (
        SpreadSetting("terms_days", shape, held, rhythm, persistence if rhythm is not Redrawn.ONCE else 0.0, plausible),
        SpreadSetting("kits", shape, plausible=plausible, applied=applied, members=(("region", member),)),
        SpreadSetting("kits", held=held, applied=applied),
    ),
    st.sampled_from(Shape), st.floats(0.1, 0.9), st.sampled_from(Redrawn), st.floats(0, 0.9), ranges,
    st.sampled_from(Applied), st.sampled_from(REGION.members),
)  # fmt: skip
goals = st.just(()) | st.builds(
    lambda sense, target, note: (PinnedGoal("held", "coast", sense, target, "base", note),),
    st.sampled_from(Sense), amounts, labels,
)  # fmt: skip
steps_taken = st.lists(
    st.one_of(
        st.builds(Step, st.sampled_from([StepKind.LEAVE_OUT, StepKind.SINCE, StepKind.LEVEL]),
                  st.builds(Month, st.integers(2023, 2026), st.integers(1, 12)), note=labels),
        st.builds(Step, st.just(StepKind.GAP), st.just(Month(2024, 3)), st.sampled_from([way.value for way in Gaps])),
    ),
    max_size=3,
).map(tuple)  # fmt: skip
kept_forecasts = st.just(()) | st.builds(
    lambda name, recipe, amounts, season: (
        KeptForecast(name, recipe, Month(2026, 7), amounts, amounts, amounts, "Theta", 42, season),
    ),
    labels,
    st.builds(Recipe, st.sampled_from(["best", "theta"]), st.floats(0, 1), st.integers(0, 30), st.integers(0, 12),
              st.floats(0.1, 0.9), st.sampled_from(Gaps), st.sampled_from([None, True, False]), st.booleans(),
              st.none() | st.floats(0, 1)),
    st.lists(amounts, min_size=1, max_size=4).map(tuple),
    st.integers(1, 12),
)  # fmt: skip
came = st.lists(st.just(NOT_GIVEN) | amounts, min_size=1, max_size=6).map(tuple)
histories = st.just(()) | st.builds(
    lambda member, monthly, yearly, doubled, steps, forecasts, label: (
        History("kits", Month(2025, 2), monthly, (("region", member),), 12, doubled=doubled, steps=steps,
                forecasts=forecasts, note=label),
        History("rain", Month(2019, 1), yearly, (), 4, label, "mm"),
    ),
    st.sampled_from(REGION.members), came, came,
    st.just({}) | amounts.map(lambda one: {Month(2025, 2): (one, 5.0)}), steps_taken, kept_forecasts, labels,
)  # fmt: skip
closings = st.lists(
    st.builds(
        Closing,
        st.integers(1, 9).map(lambda month: Month(2026, month)),
        st.dictionaries(st.sampled_from(["terms_balance", "cash", "revenue", "inventory"]), amounts),
        st.dictionaries(st.just("terms"), st.lists(st.floats(0, 1e6), max_size=3).map(tuple)),
        st.dictionaries(st.sampled_from(["sales", "terms_collected"]), labels),
    ),
    max_size=2,
    unique_by=lambda closing: closing.month,
).map(lambda found: tuple(sorted(found, key=lambda closing: closing.month)))


typed = st.lists(st.none() | amounts, min_size=1, max_size=5).filter(lambda found: any(v is not None for v in found))
courses = st.one_of(
    typed.map(lambda found: ByHand(tuple(found))),
    st.builds(ByRule, rules(), st.builds(Month, st.integers(2026, 2028), st.integers(1, 12))),
    st.builds(ByAge, st.just("ramp"), st.just((0.25, 1.0)), st.integers(0, 3)),
)
"""How an amount runs by month; ``ramp`` is the profile of ``models``."""


@st.composite
def models(draw):
    """A model with two dimensions, all kinds of lines, a schedule, three cases and figures."""
    months = draw(st.integers(3, 40))
    start = Month(draw(st.integers(2025, 2027)), draw(st.integers(1, 12)))
    actual = draw(st.integers(0, months))
    timeline = Timeline(start, months, draw(st.integers(1, 12)), start.plus(actual - 1) if actual else None)
    by_region = {(member,): draw(rules()) for member in REGION}
    known = draw(st.lists(amounts, max_size=4))
    lines = (
        Line("kits", draw(labels), "kits", "first", ("region",), rules=by_region,
             actuals={("Coast",): tuple(known)} if known else {}, look=draw(looks), plausible=draw(ranges)),
        Line("price", draw(labels), "EUR/kit", "first", rules={(): draw(rules())}, note=draw(labels),
             rollup=Rollup(OverTime.RATIO, OverMembers.RATIO, "sales", "kits")),
        Line("mix", draw(labels), "%", "first", ("product", "region"), rules={(): draw(rules())},
             rollup=Rollup.default("%")),
        Line("sales", draw(labels), "EUR", "second", ("region",), formula="kits * price * (1 + in_season)",
             posts_to="revenue"),
        Line("spread", draw(labels), "EUR", "second", ("region", "product"), formula="sales * mix",
             allow_loop=draw(st.booleans()), absent=draw(st.sampled_from([(), (("Coast", "Panel"), ("2nd", "Kit"))]))),
        Line("stock", draw(labels), "EUR", "second", formula="before(stock) + sum_over(spread)", opening=draw(amounts),
             history=tuple(draw(st.lists(amounts, max_size=3))), rollup=BALANCE),
    )  # fmt: skip
    change = st.builds(
        Change,
        st.sampled_from(["kits", "sales", "terms_days"]),
        st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE]),
        st.floats(0, 10),
        st.just(()),
        optional_month,
        optional_month,
        labels,
    )
    by_month = st.builds(
        lambda change, first, course: replace(
            change, first=first, course=course, amount=change.amount if isinstance(course, ByAge) else 0.0
        ),
        change,
        st.builds(Month, st.integers(2025, 2029), st.integers(1, 12)),
        courses,
    )
    change = change | by_month
    steps = draw(st.lists(change | switches, max_size=4))
    steps.insert(draw(st.integers(0, len(steps))), Change("kits", Operation.ADD, -5.0, name="lower"))
    best = tuple(dict.fromkeys(steps))
    drops = ("push", "lower") if any(isinstance(step, Switch) for step in best) else ("lower",)
    return Model(
        draw(labels),
        "EUR",
        timeline,
        (REGION, PRODUCT),
        (Section("first", draw(labels), draw(labels)), Section("second", "Second")),
        lines,
        (Profile("ramp", "Ramp", (0.25, 1.0)),),
        (ScheduleSettings("receivables", "terms", draw(labels), {"of": ["sales"], "days": draw(st.floats(0, 90))}),),
        {"cash": draw(amounts)},
        (
            Case("base", "Base", None, tuple(draw(st.lists(change, max_size=2)))),
            Case("best", draw(labels), "base", best, draw(labels)),
            Case("better", "Better", "best"),
            Case("calm", "Calm", "best", drops=drops),
        ),
        (
            Figure("low", draw(labels), "cash_after_overdraft", reduction=Reduction.LOWEST, is_pinned=True),
            Figure("when", "When", "stock", (), None, timeline.end, Reduction.FIRST_MONTH,
                   draw(st.sampled_from(list(Comparison))), draw(amounts)),
            Figure("coast", "Coast", "sales", ("Coast",), reduction=Reduction.MEAN),
        ),
        (
            Move("push", draw(labels), Month(2026, draw(st.integers(1, 12))), (
                *draw(st.lists(change, max_size=2)),
                Change("kits", Operation.DELAY, draw(st.integers(0, 4)), (), draw(optional_month)),
                Change("kits", Operation.DEFER, draw(st.floats(0, 1)), (("region", "Coast"),), None, Month(2026, 6),
                       draw(labels), draw(st.integers(1, 5)), draw(st.floats(0, 1))),
                Change("terms_days", Operation.WITH_MOVE),
            ), draw(labels), draw(labels), draw(st.sampled_from(Status)), draw(st.sampled_from(("", "Group"))),
                draw(st.sampled_from(((), (Aim("low", 5.0), Aim("coast", -2.5)))))),
        ),
        (
            Flag("in_season", draw(labels), draw(optional_month), None, (6, 7), draw(st.booleans()), draw(labels)),
            Flag("open", "Open"),
        ),
        draw(arrangements),
        (
            Limit("floor", draw(labels), "cash", draw(amounts), None, draw(st.sampled_from(Rhythm)),
                  draw(optional_month), draw(st.booleans()), draw(labels)),
            Limit("roof", "Roof", "terms_balance", None, draw(amounts)),
        ),
        draw(closings),
        draw(liquidity),
        goals=draw(goals),
        histories=draw(histories),
        ranges=draw(st.dictionaries(st.just("terms_days"), some_range)),
        spreads=draw(spreads),
        correlations=draw(st.just(()) | st.floats(-1, 1).map(lambda rho: (Correlation("kits", "price", rho),))),
    )  # fmt: skip
