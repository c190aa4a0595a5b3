"""Subscriptions paid by the month or by the year: monthly customers leave any month, yearly ones at renewal.

Churn is one over the expected lifetime (common practice), so each gives the other. A yearly plan is billed at once and
earned month by month, through prepaid billing. Net retention is what a year leaves of a recurring revenue, price
changes included and new customers left out, chained over twelve months (common practice).
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from widefork.core.axes import Month, Timeline
from widefork.core.finance.schedules.setting import NAME, Setting, SettingKind, choices
from widefork.core.graph.model import Limit
from widefork.core.lines import BALANCE, MemberKey, OverTime, Rollup
from widefork.core.patterns.pattern import WHOLE, Pattern, PatternDraft

AT_START = "at the start"
"""Who was there before the first month, among those who joined in a year."""
OPENING = Rollup(OverTime.START)
"""How many there were at a period's beginning."""


@dataclass(frozen=True)
class _Spread:
    """What the lines are spread over: tiers, and the years customers joined in; each may be left out."""

    draft: PatternDraft
    tiers: tuple[Mapping[str, Any], ...]
    tier: tuple[str, ...]
    cohort: tuple[str, ...]
    is_whole: bool

    def each_tier(self, column: str, usual: Any) -> dict[MemberKey, Any]:
        """An attribute of every tier, the usual answer where a tier says nothing; one for all without tiers."""
        if not self.tiers:
            return {(): usual}
        return {(row[NAME],): usual if row[column] is None else row[column] for row in self.tiers}

    def whole(self, flow: str, most: str = "") -> str:
        """A flow of people: in whole numbers where asked for, never more than there are."""
        return self.draft.whole(flow, most)

    def whole_together(self, flow: str) -> str:
        """A flow of people by tier: in whole numbers where asked for, that add to the whole of all tiers."""
        return f"whole_flows({flow}, {self.tier[0]})" if self.is_whole and self.tier else self.whole(flow)

    def of_year(self, flow: str) -> str:
        """What of a flow belongs to the year a customer joined in."""
        return f"if fiscal_year = {self.draft.name('joining_year')} then {flow} else 0" if self.cohort else flow

    def over_years(self, line: str) -> str:
        """A line with the years of joining taken together."""
        return f"sum_over({line}, {self.cohort[0]})" if self.cohort else line

    def total(self, line: str) -> str:
        """A line by tier, taken together."""
        return f"sum_over({line})" if self.tier else line


def _write(draft: PatternDraft) -> None:
    spread = _spread_of(draft)
    _write_leaving(draft, spread)
    if spread.tier:
        price = draft.assume_each("price", "price a month", "CUR/customer", _prices(draft, spread), spread.tier)
    else:
        price = draft.assume("price", "CUR/customer")
    free = _assume_by_tier(draft, spread, "free_months", "months")
    _write_joining(draft, spread)
    _write_customers(draft, spread)
    customers = draft.name("customers")
    monthly, by_year = spread.over_years(draft.name("monthly")), spread.over_years(draft.name("yearly"))
    draft.balance("customers", "customers", "customers", f"{monthly} + {by_year}", over=spread.tier)
    draft.calculate("revenue", "revenue from monthly plans", "CUR", f"{monthly} * {price}", "revenue", over=spread.tier)
    signed = spread.over_years(draft.name("signed"))
    billed = draft.calculate(
        "billed", "billed for a year ahead", "CUR", f"{signed} * {price} * (12 - {free})", over=spread.tier
    )
    _write_ahead(draft, spread, billed)
    a_month = f"{price} * (12 - {free}) / 12"
    # What recurs is read at a period's end, as the customers are (common practice).
    recurring = draft.calculate("recurring", "recurring revenue a month", "CUR/month",
                                f"{monthly} * {price} + {by_year} * {a_month}", rollup=BALANCE,
                                over=spread.tier)  # fmt: skip
    draft.calculate("recurring_year", "recurring revenue a year", "CUR/year", f"{recurring} * months_per_year",
                    rollup=BALANCE, over=spread.tier)  # fmt: skip
    _write_reading(draft, spread, recurring, price, a_month)
    lost = draft.calculate("churned", "customers left", "customers",
                           spread.over_years(f"{draft.name('left_monthly')} + {draft.name('left_yearly')}"),
                           over=spread.tier)  # fmt: skip
    were = f"before({spread.total(customers)})"
    draft.calculate("leaving_share", "share of customers leaving", "%",
                    f"if {were} = 0 then 0 else {spread.total(lost)} / {were}", over=())  # fmt: skip


def _spread_of(draft: PatternDraft) -> _Spread:
    tiers = draft.value("tiers") or ()
    if tiers:
        whole = sum(row["share"] for row in tiers)
        if abs(whole - 1) > 1e-9:
            raise draft.refuse(f"The shares of the tiers add to {whole * 100:g} %; they need to add to 100 %.", "tiers")
    tier = (draft.members("tier", "tier", [row[NAME] for row in tiers]),) if tiers else ()
    cohort: tuple[str, ...] = ()
    if draft.value("leaving_by") == "joined":
        years = draft.model.timeline.fiscal_years()
        cohort = (draft.members("cohort", "joined in", [AT_START, *(year.label for year in years)]),)
        numbers = {(AT_START,): 0.0} | {(y.label,): float(draft.model.timeline.fiscal_year(y.first)) for y in years}
        draft.assume_each("joining_year", "the year they joined in", "", numbers, cohort, is_fixed=True)
    return _Spread(draft, tiers, tier, cohort, draft.value("whole") == "yes")


def _prices(draft: PatternDraft, spread: _Spread) -> dict[MemberKey, Any]:
    return spread.each_tier("price", draft.rule("price"))


def _assume_by_tier(draft: PatternDraft, spread: _Spread, key: str, unit: str) -> str:
    """An assumption for all customers, or by tier where a tier says its own."""
    if all(row[key] is None for row in spread.tiers):
        return draft.assume(key, unit)
    return draft.assume_each(
        key, draft.pattern.question(key).label, unit, spread.each_tier(key, draft.rule(key)), spread.tier
    )


def _write_leaving(draft: PatternDraft, spread: _Spread) -> None:
    """The share leaving a month and the months a customer stays: one given, the other following from it."""
    asked = draft.value("leaving")
    unit = {"churn": "%", "churn_year": "% a year", "lifetime": "months"}
    label = draft.pattern.question(asked).label
    if spread.cohort:
        timeline = draft.model.timeline
        values = draft.rule(asked).values(timeline)
        years = timeline.fiscal_years()
        first = {(AT_START,): float(values[0])}
        by_year = first | {(year.label,): float(values[timeline.index(year.first)]) for year in years}
        draft.assume_each(asked, label, unit[asked], by_year, spread.cohort)
    else:
        draft.assume(asked, unit[asked])
    if asked == "churn_year":  # a share of a year, compounded by the month
        draft.calculate("churn", draft.pattern.question("churn").label, "%", f"monthly_share({draft.name(asked)})",
                        over=spread.cohort)  # fmt: skip
        asked = "churn"
    given, other = draft.name(asked), "churn" if asked == "lifetime" else "lifetime"
    draft.calculate(other, draft.pattern.question(other).label, unit[other],
                    f"if {given} = 0 then 0 else 1 / {given}", over=spread.cohort)  # fmt: skip


def _write_joining(draft: PatternDraft, spread: _Spread) -> None:
    """Who joins and pays: after the launch, the wait and the trial; by tier, and by plan."""
    launch: Month = draft.value("launch") or draft.model.timeline.start
    trial, wait = draft.value("trial_months"), draft.value("wait_months")
    joining = draft.assume("joining", "customers")
    came = f"before({joining}, {trial})" if trial else joining
    if draft.has("trial_kept"):
        came = f"{came} * {draft.assume('trial_kept', '%')}"
    if spread.tier:
        shares = spread.each_tier("share", 0.0)
        share = draft.assume_each("tier_share", "share of new customers", "%", shares, spread.tier)
        came = f"{came} * {share}"
        together = draft.calculate("tier_shares", "shares of the tiers, together", "%",
                                   f"round(sum_over({share}), 9)", over=())  # fmt: skip
        draft.limits.append(Limit(draft.name("shares_held"), f"{draft.label}: shares of tiers", together, 1, 1))
    paying = spread.whole_together(f"if {_before_paid(draft, spread, launch, wait, trial)} then 0 else {came}")
    joined = draft.calculate("joined", "joined, paying", "customers", paying, over=spread.tier)
    yearly = _assume_by_tier(draft, spread, "yearly_share", "%")
    by_year = draft.calculate("joined_yearly", "of them paying by the year", "customers",
                              spread.whole(f"{joined} * {yearly}"), over=spread.tier)  # fmt: skip
    over = (*spread.tier, *spread.cohort)
    draft.calculate("came_monthly", "came, paying monthly", "customers", spread.of_year(f"{joined} - {by_year}"),
                    over=over)  # fmt: skip
    draft.calculate("came_yearly", "came, paying by the year", "customers", spread.of_year(by_year), over=over)


def _before_paid(draft: PatternDraft, spread: _Spread, launch: Month, wait: int, trial: int) -> str:
    """The condition that nobody pays yet; by tier where a tier has a launch or a wait of its own."""
    if all(row["launch"] is None and row["wait_months"] is None for row in spread.tiers):
        return f"month < {launch.plus(wait + trial).words}"
    begins = spread.each_tier("launch", launch)
    waits = spread.each_tier("wait_months", wait)
    start = draft.model.timeline.start.ordinal
    firsts = {tier: float(begins[tier].plus(waits[tier] + trial).ordinal - start + 1) for tier in begins}
    first = draft.assume_each("paid_from", "first month with paid sales", "", firsts, spread.tier, is_fixed=True)
    return f"month_number < {first}"


_PLANS = (("monthly", "paying monthly"), ("yearly", "paying by the year"))


def _at_start(draft: PatternDraft, spread: _Spread, plan: str, label: str) -> str:
    """The formula of those on a plan before the first month; empty for nobody."""
    usual = 0.0 if spread.tiers else draft.value(f"{plan}_at_start")
    counts = spread.each_tier(f"{plan}_at_start", usual)
    if not any(counts.values()):
        return ""
    name = draft.assume_each(f"{plan}_at_start", f"{label} at the start", "customers", counts, spread.tier,
                             rollup=BALANCE)  # fmt: skip
    return f"if {draft.name('joining_year')} = 0 then {name} else 0" if spread.cohort else name


def _write_customers(draft: PatternDraft, spread: _Spread) -> None:
    """Opening, joined, left and closing of both plans. Whoever signed a year ago renews or leaves."""
    over, churn = (*spread.tier, *spread.cohort), draft.name("churn")
    at_start = {plan: _at_start(draft, spread, plan, label) for plan, label in _PLANS}
    signed = draft.name("signed")
    # Those at the start signed in even parts over the twelve months before it, so a twelfth falls due each month.
    ago = f"before({signed}, 12)"
    if at_start["yearly"]:
        ago = f"if month_number <= 12 then ({at_start['yearly']}) / 12 else {ago}"
    # Who signed a year ago renews with the survival of the twelve months since: Π (1 − m), of the months there are.
    kept = draft.calculate(
        "kept_a_year", "share of yearly customers that renews", "%",
        f"exp(trailing(ln(max(0.000001, 1 - {churn})), 12) * 12 / min(12, month_number))", over=spread.cohort,
    )  # fmt: skip
    draft.calculate("yearly_stay", "months a yearly customer stays", "months",
                    f"if {kept} >= 1 then 0 else 12 / (1 - {kept})", over=spread.cohort)  # fmt: skip
    due = draft.calculate("due", "due for renewal", "customers", spread.whole(ago), over=over)
    renewed = draft.calculate("renewed", "renewed for a year", "customers",
                              spread.whole(f"{due} * {kept}", due), over=over)  # fmt: skip
    draft.calculate("signed", "signed for a year", "customers", f"{draft.name('came_yearly')} + {renewed}", over=over)
    for plan, label in _PLANS:
        were = f"before({draft.name(plan)})"
        if at_start[plan]:
            were = f"if month_number = 1 then ({at_start[plan]}) else {were}"
        opening = draft.calculate(f"opening_{plan}", f"customers {label} at the beginning", "customers", were,
                                  rollup=OPENING, over=over)  # fmt: skip
        leaving = spread.whole(f"{opening} * {churn}", opening) if plan == "monthly" else f"{due} - {renewed}"
        left = draft.calculate(f"left_{plan}", f"{label}, left", "customers", leaving, over=over)
        draft.balance(plan, f"customers {label}", "customers", f"{opening} + {draft.name(f'came_{plan}')} - {left}",
                      over=over)  # fmt: skip


def _write_ahead(draft: PatternDraft, spread: _Spread, billed: str) -> None:
    timeline = draft.model.timeline
    begun = spread.each_tier("yearly_at_start", draft.value("yearly_at_start") if not spread.tiers else 0.0)
    opening = 0.0
    if any(begun.values()):
        of_tiers = begun.values(), _prices(draft, spread).values(), _months_free(draft, spread).values()
        a_month = sum(
            count * _first(price, timeline) * (12 - _first(free, timeline)) / 12
            for count, price, free in zip(*of_tiers, strict=True)
        )
        opening = a_month * 5.5  # twelve even cohorts have 0 to 11 months left, 5.5 on average
    draft.schedule("prepaid_billing", "ahead", "paid ahead", of=[billed], share_ahead=1, months=12,
                   **({"opening_balance": opening, "opening_months": 11} if opening else {}))  # fmt: skip
    if opening:
        draft.notices.append(
            "What yearly customers have paid ahead at the start counts as owed to them; set it against the opening "
            "balance sheet under Terms."
        )


def _months_free(draft: PatternDraft, spread: _Spread) -> dict[MemberKey, Any]:
    return spread.each_tier("free_months", draft.rule("free_months"))


def _first(rule: Any, timeline: Timeline) -> float:
    return rule if isinstance(rule, float) else float(rule.values(timeline)[0])


def _write_reading(draft: PatternDraft, spread: _Spread, recurring: str, price: str, a_month: str) -> None:
    """What was won and lost of the recurring revenue, and what a year leaves of it."""
    flows = {}
    for part, label, verb in (("won", "recurring revenue of those who joined", "came"),
                              ("churned_revenue", "recurring revenue of those who left", "left")):  # fmt: skip
        by_month, by_year = (spread.over_years(draft.name(f"{verb}_{plan}")) for plan in ("monthly", "yearly"))
        flows[part] = draft.calculate(
            part, label, "CUR/month", f"{by_month} * {price} + {by_year} * {a_month}", rollup=Rollup(), over=spread.tier
        )
    now, won = spread.total(recurring), spread.total(flows["won"])
    kept, index = draft.name("kept"), draft.name("kept_index")
    draft.calculate("kept", "recurring revenue kept, share of the month before", "%",
                    f"if before({now}) = 0 then 1 else ({now} - {won}) / before({now})", over=())  # fmt: skip
    draft.balance("kept_index", "what is kept of the recurring revenue of the start", "%", f"before({index}) * {kept}",
                  1.0, over=())  # fmt: skip
    draft.calculate("net_retention", "net retention over twelve months", "%",
                    f"if before({index}, 12) = 0 then 0 else {index} / before({index}, 12)",
                    rollup=replace(BALANCE, blank_months=12), over=())  # fmt: skip


TIERS = (
    Setting("share", "share of new ones", SettingKind.AMOUNT, "%", is_required=True, least=0, most=1),
    Setting("price", "price a month", SettingKind.AMOUNT, "CUR", least=0, hint="Empty: the usual price."),
    Setting("yearly_share", "by the year", SettingKind.AMOUNT, "%", least=0, most=1, hint="Empty: the usual share."),
    Setting("free_months", "months free", SettingKind.AMOUNT, least=0, most=11, hint="Empty: as usual."),
    Setting("launch", "launched in", SettingKind.MONTH, hint="Empty: as usual."),
    Setting("wait_months", "wait for paid sales", SettingKind.WHOLE, least=0, most=36, hint="Empty: as usual."),
    Setting("monthly_at_start", "paying monthly at the start", SettingKind.AMOUNT, default=0.0, least=0),
    Setting("yearly_at_start", "by the year at the start", SettingKind.AMOUNT, default=0.0, least=0),
)

SUBSCRIPTION = Pattern(
    "subscription",
    "Subscription",
    "New customers pay by the month or by the year, in tiers; monthly ones leave any month, yearly ones at renewal.",
    (
        Setting("joining", "new customers a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("price", "price a month", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("tiers", "tiers", SettingKind.ROWS, columns=TIERS,
                hint="Their shares add to 100 %. Leave it empty for one price."),
        Setting("leaving", "leaving is given", SettingKind.CHOICE, default="lifetime",
                choices=choices(lifetime="by how long they stay", churn="as a share a month",
                                churn_year="as a share a year")),
        Setting("lifetime", "months a customer stays", SettingKind.SERIES, default=24, least=1,
                hint="One over it leaves each month.", when=("leaving", ("lifetime",))),
        Setting("churn", "share of customers leaving a month", SettingKind.SERIES, "%", default=0.04, least=0, most=1,
                hint="One over it is how many months they stay.", when=("leaving", ("churn",))),
        Setting("churn_year", "share of customers leaving a year", SettingKind.SERIES, "% a year", default=0.3, least=0,
                most=1, hint="14 % a year are 1.25 % a month.", when=("leaving", ("churn_year",))),
        Setting("leaving_by", "where it changes over the years", SettingKind.CHOICE, default="calendar",
                choices=choices(calendar="it changes for everybody", joined="it holds for those who join in the year")),
        Setting("yearly_share", "share that pays by the year", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting("free_months", "months free with a yearly plan", SettingKind.SERIES, default=0, least=0, most=11),
        Setting("launch", "launched in", SettingKind.MONTH),
        Setting("wait_months", "months from launch to paid sales", SettingKind.WHOLE, default=0, least=0, most=36),
        Setting("trial_months", "months of free trial", SettingKind.WHOLE, default=0, least=0, most=24),
        Setting("trial_kept", "share of trials that become paying", SettingKind.SERIES, "%", default=1, least=0,
                most=1),
        Setting("monthly_at_start", "paying monthly at the start", SettingKind.AMOUNT, default=0.0, least=0,
                hint="With tiers, say it there."),
        Setting("yearly_at_start", "paying yearly at the start", SettingKind.AMOUNT, default=0.0, least=0),
        WHOLE,
    ),
    _write,
    {"joining": 20, "price": 15, "tiers": [{"name": "Basic", "share": 0.75, "monthly_at_start": 40},
     {"name": "Plus", "share": 0.25, "price": 35}], "lifetime": 25, "yearly_share": 0.4, "free_months": 2,
     "launch": "2026-02", "trial_months": 1},
    ("recurring", "customers"),
    rollups={"price": "customers", "tier_share": Rollup(OverTime.NONE), "yearly_share": "joined",
             "trial_kept": "joining"},
)  # fmt: skip
