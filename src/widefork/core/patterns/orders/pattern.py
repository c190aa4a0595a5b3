"""Orders online: visits, orders, baskets, returns, shipping, payment fees, and orders that come again."""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    visits, rate = draft.assume("visits", "visits"), draft.assume("order_rate", "% orders/visit")
    basket, returned = draft.assume("basket", "CUR/order"), draft.assume("returned", "%")
    orders = draft.name("orders")
    first = draft.calculate("first_orders", "first orders", "orders", f"{visits} * {rate}")
    again = draft.calculate(
        "repeat_orders", "orders again", "orders", f"before({orders}) * {draft.assume('repeat', '%')}"
    )
    draft.calculate("orders", "orders", "orders", f"{first} + {again}")
    if draft.has("items"):
        draft.calculate("units", "items sold and kept", "items",
                        f"{orders} * {draft.assume('items', 'items/order')} * (1 - {returned})")  # fmt: skip
    revenue = draft.calculate("revenue", "revenue", "CUR", f"{orders} * {basket} * (1 - {returned})", "revenue")
    costs = []
    if draft.has("shipping"):
        costs.append(draft.calculate(
            "shipping_cost", "shipping", "CUR", f"{orders} * {draft.assume('shipping', 'CUR/order')}", "cost_of_sales"
        ))  # fmt: skip
    if draft.has("fee"):
        fee = draft.assume("fee", "%")
        costs.append(draft.calculate("fees", "payment fees", "CUR", f"{orders} * {basket} * {fee}", "cost_of_sales"))
    if draft.has("goods"):
        goods = draft.assume("goods", "%")
        costs.append(draft.calculate("goods_cost", "goods sold", "CUR", f"{revenue} * {goods}", "cost_of_sales"))
    if costs:
        draft.ratio("served", "cost to serve an order", "CUR/order",
                    draft.calculate("serving", "cost to serve", "CUR", " + ".join(costs)), orders)  # fmt: skip


ORDERS = Pattern(
    "orders",
    "Orders online",
    "Visits, the share that orders, the basket, what comes back, shipping and payment fees, and orders again.",
    (
        Setting("visits", "visits a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("order_rate", "share of visits that order", SettingKind.SERIES, "%", is_required=True, least=0, most=1),
        Setting("basket", "basket", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("returned", "share sent back", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting("repeat", "share of last month's orders that come again", SettingKind.SERIES, "%", default=0, least=0,
                most=1),
        Setting("items", "items in an order", SettingKind.SERIES, default=1, least=0),
        Setting("shipping", "shipping for an order", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("fee", "payment fee, share of the basket", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting("goods", "goods, share of revenue", SettingKind.SERIES, "%", default=0, least=0, most=1),
    ),
    _write,
    {"visits": 10000, "order_rate": 0.02, "basket": 60, "items": 1.5, "returned": 0.1,
     "repeat": 0.25, "shipping": 5, "fee": 0.02,
     "goods": 0.4},
    ("revenue", "orders"),
    rollups={"order_rate": "visits", "basket": "orders", "returned": "orders", "repeat": "orders",
             "items": "orders", "shipping": "orders", "fee": "orders", "goods": "revenue"},
)  # fmt: skip
