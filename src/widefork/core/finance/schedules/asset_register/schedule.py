"""A register of single assets: each bought in a month or owned already, with its own life, method and sale.

The register is a dimension; its members' attributes say what each asset is. Depreciation is charged from the month
bought to the month before the sale. Declining balance charges a yearly rate on the book value at the beginning of
each of the asset's own years, in twelfths, and never below what is left at the end.

Source: IAS 16.55, 16.60-62, 16.68, 16.71 (docs/sources.md).
"""

from typing import Any

from widefork.core.axes import Dimension, Month
from widefork.core.finance.schedules.dates import shifts
from widefork.core.finance.schedules.fixed_assets.schedule import KINDS, SPENT_AS
from widefork.core.finance.schedules.register import FAR_AHEAD, Columns
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices
from widefork.core.lines import NO_TOTAL

_METHODS = choices(
    straight="equal amounts",
    declining="a share of the book value each year",
    declining_then_straight="a share of the book value, then equal amounts",
    years_digits="falling by the years left",
)
_METHOD_NUMBER = {word: number for number, (word, _) in enumerate(_METHODS)}

ATTRIBUTES = (
    Setting("category", "category", SettingKind.TEXT),
    Setting("cost", "cost", SettingKind.AMOUNT, default=0.0, least=0),
    Setting("bought", "bought", SettingKind.MONTH, hint="The month; empty for what is owned at the start."),
    Setting(
        "book_value", "book value", SettingKind.AMOUNT, default=0.0, least=0, hint="At the start, if owned already."
    ),
    Setting(
        "life_months", "life in months", SettingKind.WHOLE, is_required=True, most=600, hint="Or what is left of it."
    ),
    Setting("salvage", "left at the end", SettingKind.AMOUNT, default=0.0, least=0),
    Setting("method", "method", SettingKind.CHOICE, default="straight", choices=_METHODS),
    Setting("rate", "share a year", SettingKind.AMOUNT, "%", default=0.0, least=0, most=1, hint="If declining."),
    Setting("sold", "sold", SettingKind.MONTH, hint="The month."),
    Setting("sold_for", "sold for", SettingKind.AMOUNT, default=0.0, least=0),
)


def _write(draft: Draft) -> None:
    register: Dimension = draft.value("register")
    columns, timeline = Columns(draft, register, ATTRIBUTES, "register"), draft.model.timeline
    cost, owned, bought, sold, life = map(columns.read, ("cost", "book_value", "bought", "sold", "life_months"))
    for key in cost:
        if bought[key] is None and not owned[key]:
            raise draft.refuse(
                f"{key[0]} needs a month bought and its cost, or the book value if it is owned already.", "register"
            )
        if bought[key] is not None and (owned[key] or bought[key] < timeline.start):
            raise draft.refuse(
                f"{key[0]} was bought before {timeline.start.label}, or has a book value: then leave the month bought "
                "empty and give the book value and the months of life left.",
                "register",
            )
        if sold[key] is not None and sold[key] <= (bought[key] or timeline.start.plus(-1)):
            raise draft.refuse(f"{key[0]} is sold before it is bought.", "register")
    begins = {key: (month or timeline.start).ordinal for key, month in bought.items()}

    worth = {key: owned[key] or cost[key] for key in cost}
    value = draft.assume_each("cost", "cost or book value", draft.model.currency, register, worth)
    salvage, price = columns.assume("salvage", "CUR"), columns.assume("sold_for", "CUR")
    months = columns.build("life", "life in months", life)
    begun = columns.build("begins", "first month, by its number", begins)
    ends = {key: FAR_AHEAD if month is None else month.ordinal for key, month in sold.items()}
    gone = columns.build("ends", "month sold, by its number", ends)
    methods = {key: _METHOD_NUMBER[word] for key, word in columns.read("method").items()}
    method = columns.build("method", "method, by its number", methods)
    rate = columns.assume("rate", "% a year", "share of the book value a year")
    planned = {key: month for key, month in bought.items() if month is not None}
    by = shifts(draft, "", register, planned, {key: not cost[key] for key in planned})
    begun, gone = f"({begun} + {by})", f"({gone} + {by})"
    _write_lines(draft, register, (value, salvage, months, begun, gone, method, rate, price), bought, owned)


def _write_lines(
    draft: Draft,
    register: Dimension,
    names: tuple[str, ...],
    bought: dict[tuple[str, ...], Month | None],
    owned: dict[tuple[str, ...], float],
) -> None:
    value, salvage, months, begun, gone, method, rate, price = names
    kind = draft.value("caption")
    over: dict[str, Any] = {"dimensions": (register.name,)}
    book, yearly = draft.name("net_book_value"), draft.name("year_value")
    # An asset owned at the start is bought by nobody: its book value comes from before the first month.
    new = draft.assume_each(
        "is_new", "bought in the plan", "", register, {key: float(month is not None) for key, month in bought.items()},
        is_fixed=True,
    )  # fmt: skip
    purchase = draft.calculate("bought", "bought", f"if month = {begun} then {value} * {new} else 0", **over)
    opening = draft.assume_each("owned", "owned at the start", draft.model.currency, register, owned)
    at_start = f"(if month_number = 1 then {opening} else before({book})) + {purchase}"
    available = draft.calculate("available", "book value to charge", at_start, **over)
    age = draft.calculate("age", "age in months", f"month - {begun}", unit="", **over)
    draft.calculate(
        "year_value", "book value as its year began",
        f"if {age} / 12 = round_down({age} / 12) then {available} else before({yearly})", **over,
    )  # fmt: skip
    left = f"({months} - 12 * round_down({age} / 12))"
    equal = f"({value} - {salvage}) / {months}"
    share = f"{yearly} * {rate} / months_per_year"
    digits = f"({value} - {salvage}) * ({left} / 12) / ({months} / 12 * ({months} / 12 + 1) / 2) / 12"
    rest = f"max({share}, ({yearly} - {salvage}) / max(1, {left}))"
    wanted = (
        f"if {method} = 0 then {equal} else (if {method} = 1 then {share} else "
        f"(if {method} = 2 then {rest} else {digits}))"
    )
    charge = draft.calculate(
        "charge", "depreciation of each",
        f"if {age} >= 0 and {age} < {months} and month < {gone} then "
        f"max(0, min({wanted}, {available} - {salvage})) else 0", **over,
    )  # fmt: skip
    disposed = draft.calculate("disposed", "book value sold", f"if month = {gone} then {available} else 0", **over)
    proceeds = draft.calculate("proceeds_of_each", "sold for", f"if month = {gone} then {price} else 0", **over)
    draft.balance("net_book_value", "net book value of each", f"{available} - {charge} - {disposed}", **over)
    spent = draft.calculate("spent", "paid for purchases", f"sum_over({purchase})", SPENT_AS[kind])
    depreciation = draft.calculate("depreciation", "depreciation", f"sum_over({charge})", "depreciation")
    sold = draft.calculate("sold_book_value", "book value sold", f"sum_over({disposed})")
    received = draft.calculate("proceeds", "received for assets sold", f"sum_over({proceeds})", "disposal_proceeds")
    draft.calculate("result", "gain or loss on sales", f"{received} - {sold}", "disposal_result")
    draft.roll("balance", "net book value", kind, sum(owned.values()), (spent,), (depreciation, sold))


ASSET_REGISTER = Schedule(
    "asset_register",
    "Asset register",
    "Assets",
    "Single assets, each with its cost, month bought or book value, life, method and sale with its gain or loss.",
    (
        Setting("register", "the register", SettingKind.REGISTER, is_required=True),
        Setting("caption", "what they are", SettingKind.CHOICE, default="property_and_equipment", choices=KINDS),
    ),
    _write,
    {"register": "assets"},
    ATTRIBUTES,
    words=lambda draft: f"{len(draft.value('register').members)} assets",
    rollups={"age": NO_TOTAL},
)
