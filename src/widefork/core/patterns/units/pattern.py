"""Units at a price, with what a unit costs in material and labour; or a total, shared out by a mix."""

from typing import Any

from widefork.core.errors import InvalidModel
from widefork.core.finance.schedules.setting import NAME, Setting, SettingKind
from widefork.core.graph.model import Limit
from widefork.core.lines import OverTime, Rollup
from widefork.core.patterns.pattern import BY, Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    many, one = draft.counted()
    mix = draft.value("mix") or ()
    over = _write_mix(draft, mix) if mix else draft.over
    if mix:
        total = draft.assume("units", many, spread=False)
        share = draft.assume_each("share", "share of the whole", "%", {(row[NAME],): row["share"] for row in mix}, over)
        units = draft.calculate("sold", "sold", many, f"{total} * {share}", over=over)
        prices = {(row[NAME],): draft.rule("price") if row["price"] is None else row["price"] for row in mix}
        price = draft.assume_each("price", "price of one", f"CUR/{one}", prices, over)
    else:
        units, price = draft.assume("units", many), draft.assume("price", f"CUR/{one}")
    revenue = draft.calculate("revenue", "revenue", "CUR", f"{units} * {price}", "revenue", over=over)
    costs = []
    for key, label in (("material", "material"), ("labour", "labour")):
        kinds = {(row[NAME],): row[f"{key}_price"] for row in mix if row[f"{key}_price"] is not None}
        if draft.has(f"{key}_price") or kinds:
            usual = draft.rule(f"{key}_price")
            each = (
                draft.assume_each(f"{key}_price", draft.pattern.question(f"{key}_price").label, f"CUR/{one}",
                                  {(row[NAME],): kinds.get((row[NAME],), usual) for row in mix}, over)
                if kinds
                else draft.assume(f"{key}_price", f"CUR/{one}", spread=not mix)
            )  # fmt: skip
            costs.append(draft.calculate(key, label, "CUR", f"{units} * {each}", "cost_of_sales", over=over))
    if costs:
        kept = draft.calculate("margin", "gross margin", "CUR", " - ".join((revenue, *costs)), over=over)
        draft.ratio("margin_share", "gross margin, share", "%", kept, revenue, over=over)


def _write_mix(draft: PatternDraft, mix: tuple[dict[str, Any], ...]) -> tuple[str, ...]:
    if draft.answers.get(BY):
        raise InvalidModel("A mix is one dimension already; leave “each by” empty, or the mix.", "mix")
    whole = sum(row["share"] for row in mix)
    if abs(whole - 1) > 1e-9:
        raise draft.refuse(f"The mix adds to {whole * 100:g} %; it needs to add to 100 %.", "mix")
    over = (draft.members("kind", "kind", [row[NAME] for row in mix]),)
    together = draft.calculate("shares", "shares of the mix, together", "%",
                               f"round(sum_over({draft.name('share')}), 9)", over=())  # fmt: skip
    draft.limits.append(Limit(draft.name("mix_held"), f"{draft.label}: shares of the mix", together, 1, 1))
    return over


MIX = (
    Setting("share", "share of the whole", SettingKind.AMOUNT, "%", is_required=True, least=0, most=1),
    Setting("price", "price of one", SettingKind.AMOUNT, "CUR", least=0, hint="Empty: the price above."),
    Setting("material_price", "material", SettingKind.AMOUNT, "CUR", least=0, hint="Empty: the one below."),
    Setting("labour_price", "labour", SettingKind.AMOUNT, "CUR", least=0, hint="Empty: the one below."),
)

UNITS = Pattern(
    "units",
    "Units at a price",
    "So many a month at a price each, with what each costs in material and labour; all alike, or by a mix.",
    (
        Setting("counted", "what is counted", SettingKind.TEXT, default="units", hint="Many of them, such as kits."),
        Setting("units", "sold a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("price", "price of one", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("mix", "the mix", SettingKind.ROWS, columns=MIX,
                hint="What is sold, by kind; the shares add to 100 %. Leave it empty for one kind."),
        Setting("material_price", "material for one", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("labour_price", "labour for one", SettingKind.SERIES, "CUR", default=0, least=0),
    ),
    _write,
    {"counted": "kits", "units": 100, "price": 49, "material_price": 12, "labour_price": 5},
    ("revenue", "margin"),
    spreads=True,
    rollups={"share": Rollup(OverTime.NONE), **dict.fromkeys(("price", "material_price", "labour_price"), ("sold",
             "units"))},
)  # fmt: skip
