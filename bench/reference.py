"""The company of ``model.py`` written by hand in straight NumPy, the way a careful modeller would: every line an array,
months and batch vectorised wherever the calculation allows, a loop over months where it does not."""

import numpy as np

from bench.model import LIVES, LOANS, MONTHS, PRODUCT_TOTALS, PRODUCTS, RAMP, ROLE_TOTALS, ROLES

# Arrays are (regions, months, batch) or (months, batch); ``given`` holds the assumptions so, with a batch of 1 or all.


def lagged(x, opening=0.0):
    first = np.full_like(x[..., :1, :], opening)
    return np.concatenate([first, x[..., :-1, :]], axis=-2)


def ramped(joins):
    total = RAMP[-1] * np.cumsum(joins, axis=-2)
    for age, share in enumerate(RAMP[:-1]):
        total[..., age:, :] += (share - RAMP[-1]) * joins[..., : MONTHS - age, :]
    return total


def trailing(x, months):
    summed = np.cumsum(x, axis=-2)
    summed[..., months:, :] -= np.cumsum(x, axis=-2)[..., :-months, :]
    return summed


def outstanding(flow, days):
    reach = days / 30
    total = np.zeros(np.broadcast_shapes(flow.shape, reach.shape))
    for age in range(int(np.ceil(reach.max()))):
        total[age:] += flow[: MONTHS - age] * np.clip(reach[age:] - age, 0, 1)
    return total


def rolled_forward(opening, joins, rate):
    """Balance and what leaves it, month by month: a share of the month before."""
    shape = np.broadcast_shapes(joins.shape, rate.shape)
    joins, rate = np.broadcast_to(joins, shape), np.broadcast_to(rate, shape)
    balance, left = np.empty(shape), np.empty(shape)
    before = np.full((shape[0], shape[2]), opening)
    for month in range(MONTHS):
        left[:, month] = before * rate[:, month]
        before = before + joins[:, month] - left[:, month]
        balance[:, month] = before
    return balance, left


def product(given, k, v):
    orders = given[f"visits_{k}"] * given[f"conversion_{k}"]
    returned = orders * given[f"returns_{k}"]
    joins = orders - returned
    customers, left = rolled_forward(400.0, joins, given[f"churn_{k}"])
    active = (customers + lagged(customers, 400.0)) / 2
    gross = active * given[f"price_{k}"]
    discount = np.where(gross > 20000, gross * given[f"discount_rate_{k}"], 0)
    net = gross - discount
    material = active * given[f"material_price_{k}"]
    courier = joins * given[f"courier_price_{k}"]
    hours = ramped(joins) * given[f"hours_per_join_{k}"]
    fees = net * given[f"fee_rate_{k}"]
    margin = net - material - courier - fees
    mix = net / net.sum(axis=0)
    own = {
        "orders": orders, "returned": returned, "joins": joins, "customers": customers, "left": left, "active": active,
        "gross": gross, "discount": discount, "net": net, "material": material, "courier": courier, "hours": hours,
        "fees": fees, "margin": margin, "mix": mix,
    }  # fmt: skip
    v.update({f"{name}_{k}": values for name, values in own.items()})
    v.update({f"{name}_total_{k}": own[name].sum(axis=0) for name in PRODUCT_TOTALS})


def role(given, k, v):
    heads, leavers = rolled_forward(4.0, given[f"hires_{k}"], given[f"leaving_{k}"])
    pay = heads * given[f"salary_{k}"]
    charges = pay * given["charge_rate"]
    bonus = np.maximum(0, pay - 9000) * 0.05
    own = {
        "heads": heads, "leavers": leavers, "ready": ramped(given[f"hires_{k}"]), "pay": pay, "charges": charges,
        "bonus": bonus, "cost": pay + charges + bonus,
    }  # fmt: skip
    v.update({f"{name}_{k}": values for name, values in own.items()})
    v.update({f"{name}_total_{k}": own[name].sum(axis=0) for name in ROLE_TOTALS})


def trade(g, v):
    def summed(part, numbers):
        return sum(v[f"{part}_total_{k}"] for k in numbers)

    v["revenue"], v["materials"] = summed("net", PRODUCTS), summed("material", PRODUCTS)
    v["couriers"], v["card_fees"] = summed("courier", PRODUCTS), summed("fees", PRODUCTS)
    v["hours_needed"], v["customers_all"] = summed("hours", PRODUCTS), summed("customers", PRODUCTS)
    v["delivery_people"], v["office_people"] = summed("cost", range(4)), summed("cost", range(4, 8))
    v["charges_all"], v["heads_all"] = summed("charges", ROLES), summed("heads", ROLES)
    v["marketing"] = g["marketing_share"] * lagged(v["revenue"])
    v["gross_profit"] = v["revenue"] - v["materials"] - v["couriers"] - v["card_fees"] - v["delivery_people"]
    v["overheads"] = v["office_people"] + g["rent"] + v["marketing"] + g["admin"]
    v["ebitda"] = v["gross_profit"] - v["overheads"]
    for k, life in enumerate(LIVES):
        v[f"depreciation_{k}"] = (
            trailing(g[f"capex_{k}"], life) / life if life < MONTHS else np.cumsum(g[f"capex_{k}"], axis=0) / life
        )
    v["depreciation"] = v["depreciation_0"] + v["depreciation_1"] + v["depreciation_2"]
    v["capex"] = g["capex_0"] + g["capex_1"] + g["capex_2"]
    v["net_book_value"] = np.cumsum(v["capex"] - v["depreciation"], axis=0)
    v["ebit"] = v["ebitda"] - v["depreciation"]


def loans(g, v):
    for k in LOANS:
        drawn, payment, rate = g[f"drawn_{k}"], g[f"payment_{k}"], g["loan_rate"]
        shape = np.broadcast_shapes(drawn.shape, payment.shape, rate.shape)
        interest, repaid, balance = np.empty(shape), np.empty(shape), np.empty(shape)
        before = np.zeros(shape[1])
        for month in range(MONTHS):
            interest[month] = before * rate[month] / 12
            repaid[month] = np.minimum(before, payment[month])
            before = before + drawn[month] - repaid[month]
            balance[month] = before
        v[f"interest_{k}"], v[f"repaid_{k}"], v[f"balance_{k}"] = interest, repaid, balance
    v["interest_loans"] = v["interest_0"] + v["interest_1"] + v["interest_2"]
    v["loans"] = v["balance_0"] + v["balance_1"] + v["balance_2"]
    v["drawn"] = g["drawn_0"] + g["drawn_1"] + g["drawn_2"]
    v["repaid"] = v["repaid_0"] + v["repaid_1"] + v["repaid_2"]


def working_capital(g, v):
    v["vat_out"] = v["revenue"] * g["vat_rate"]
    v["vat_in"] = (v["materials"] + v["couriers"] + g["rent"] + v["marketing"]) * g["vat_rate"]
    owed, paid = np.empty_like(v["vat_out"]), np.empty_like(v["vat_out"])
    before = np.zeros(owed.shape[1])
    for month in range(MONTHS):
        paid[month] = before if month % 3 == 0 else 0
        before = before + v["vat_out"][month] - v["vat_in"][month] - paid[month]
        owed[month] = before
    v["vat_owed"], v["vat_paid"] = owed, paid
    v["invoiced"] = v["revenue"] + v["vat_out"]
    v["receivables"] = outstanding(v["invoiced"], g["customer_days"])
    v["collected"] = lagged(v["receivables"]) + v["invoiced"] - v["receivables"]
    v["bought"] = v["materials"] + v["couriers"] + g["rent"] + v["marketing"] + v["vat_in"]
    v["payables"] = outstanding(v["bought"], g["supplier_days"])
    v["paid"] = lagged(v["payables"]) + v["bought"] - v["payables"]
    v["charges_owed"] = v["charges_all"]
    v["charges_paid"] = lagged(v["charges_owed"])
    v["people_paid"] = v["delivery_people"] + v["office_people"] - v["charges_all"] + v["charges_paid"]


STEPPED = (
    "overdraft", "overdraft_interest", "interest", "profit_before_tax", "profit_to_date", "tax_to_date", "tax",
    "tax_paid", "tax_owed", "net_profit", "operating_payments", "operating_flow", "flow_before_overdraft",
    "cash_after_overdraft",
)  # fmt: skip


def liquidity(g, v):
    """Cash, overdraft and tax need each other's month before: one loop over the months."""
    v["operating_receipts"] = v["collected"]
    v["investing_flow"] = 0 - v["capex"]
    v["financing_flow"] = v["drawn"] - v["repaid"] - g["dividends"]
    steady = v["paid"] + v["people_paid"] + v["card_fees"] + g["admin"] + v["vat_paid"]
    shape = np.broadcast_shapes(steady.shape, v["ebit"].shape, v["financing_flow"].shape, *(g[n].shape for n in (
        "overdraft_limit", "overdraft_rate", "floor", "tax_rate")))  # fmt: skip
    m = {name: np.empty(shape) for name in STEPPED}
    overdraft = to_date = taxed = owed = np.zeros(shape[1])
    cash = np.full(shape[1], 150000.0)
    for t in range(MONTHS):
        m["overdraft_interest"][t] = overdraft * g["overdraft_rate"][t] / 12
        m["interest"][t] = v["interest_loans"][t] + m["overdraft_interest"][t]
        m["profit_before_tax"][t] = v["ebit"][t] - m["interest"][t]
        first = t % 12 == 0
        to_date = m["profit_before_tax"][t] + (0 if first else to_date)
        m["profit_to_date"][t] = to_date
        m["tax_to_date"][t] = np.maximum(0, to_date) * g["tax_rate"][t]
        m["tax"][t] = m["tax_to_date"][t] - (0 if first else taxed)
        taxed = m["tax_to_date"][t]
        m["tax_paid"][t] = np.maximum(0, owed) if t % 12 == 4 else 0
        owed = owed + m["tax"][t] - m["tax_paid"][t]
        m["tax_owed"][t] = owed
        m["net_profit"][t] = m["profit_before_tax"][t] - m["tax"][t]
        m["operating_payments"][t] = steady[t] + m["tax_paid"][t]
        m["operating_flow"][t] = v["operating_receipts"][t] - m["operating_payments"][t] - m["interest"][t]
        m["flow_before_overdraft"][t] = m["operating_flow"][t] + v["investing_flow"][t] + v["financing_flow"][t]
        cash = cash + m["flow_before_overdraft"][t]
        m["cash_after_overdraft"][t] = cash
        overdraft = np.minimum(g["overdraft_limit"][t], np.maximum(0, g["floor"][t] - cash))
        m["overdraft"][t] = overdraft
    v.update(m)


def statements(g, v):
    v["cash"] = v["cash_after_overdraft"] + v["overdraft"]
    v["retained"] = np.cumsum(v["net_profit"] - g["dividends"], axis=0)
    v["current_assets"] = v["cash"] + v["receivables"]
    v["total_assets"] = v["current_assets"] + v["net_book_value"]
    v["owed"] = v["payables"] + v["vat_owed"] + v["charges_owed"] + v["tax_owed"]
    v["total_liabilities"] = v["owed"] + v["loans"] + v["overdraft"]
    v["equity"] = g["share_capital"] + v["retained"]
    v["equity_and_liabilities"] = v["equity"] + v["total_liabilities"]
    v["difference"] = v["total_assets"] - v["equity_and_liabilities"]
    v["profit_so_far"] = np.cumsum(v["net_profit"], axis=0)
    v["revenue_year"] = trailing(v["revenue"], 12)
    so_far = np.cumsum(v["ebitda"], axis=0)
    for year in range(12, MONTHS, 12):
        so_far[year:] -= v["ebitda"][year - 12 : year].sum(axis=0)
    v["ebitda_so_far"] = so_far
    v["ebitda_margin"] = v["ebitda"] / v["revenue"]
    v["revenue_per_head"] = v["revenue"] / v["heads_all"]
    v["headroom"] = v["cash_after_overdraft"] + g["overdraft_limit"]
    v["cover"] = (v["ebitda"] + 1) / (v["interest"] + v["repaid"] + 1)


def compute(given):
    """Return every calculated line by name from the assumptions by name."""
    v = {}
    for k in PRODUCTS:
        product(given, k, v)
    for k in ROLES:
        role(given, k, v)
    trade(given, v)
    loans(given, v)
    working_capital(given, v)
    liquidity(given, v)
    statements(given, v)
    return v
