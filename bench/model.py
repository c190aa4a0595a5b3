"""A company large enough to measure with: seven products and eight roles in three regions, debt, tax and statements.

Every name and number is invented. ``reference.py`` is the same company written by hand in NumPy.
"""

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.graph.model import Model, Profile
from widefork.core.lines import BALANCE, Line, Section
from widefork.core.rules import RULES, read_rule

REGIONS = ("Coast", "Valley", "Upland")
PRODUCTS, ROLES, LOANS, ASSETS = range(7), range(8), range(3), range(3)
LIVES = (36, 48, 60)
RAMP = (0.2, 0.5, 0.8, 1.0)
MONTHS = 60

PRODUCT_INPUTS = {  # by region: (amount in the first, further per region, growth a month)
    "visits": (9000, 1500, 0.01), "conversion": (0.02, 0.002, 0), "returns": (0.05, 0.01, 0), "churn": (0.03, 0.004, 0),
    "price": (24, 2, 0.002), "discount_rate": (0.04, 0.01, 0), "material_price": (7, 0.5, 0.001),
    "courier_price": (4, 0.4, 0), "hours_per_join": (0.6, 0.1, 0), "fee_rate": (0.015, 0.001, 0),
}  # fmt: skip
PRODUCT_LINES = {
    "orders": "visits * conversion", "returned": "orders * returns", "joins": "orders - returned",
    "left": "before(customers) * churn", "customers": "before(customers) + joins - left",
    "active": "(customers + before(customers)) / 2", "gross": "active * price",
    "discount": "if gross > 20000 then gross * discount_rate else 0", "net": "gross - discount",
    "material": "active * material_price", "courier": "joins * courier_price",
    "hours": "ramped(joins, ramp) * hours_per_join", "fees": "net * fee_rate",
    "margin": "net - material - courier - fees", "mix": "share_over(net)",
}  # fmt: skip
PRODUCT_TOTALS = ("net", "material", "courier", "fees", "hours", "customers")
ROLE_INPUTS = {"hires": (1, 0.5, 0), "leaving": (0.012, 0.001, 0), "salary": (3100, 150, 0.002)}
ROLE_LINES = {
    "leavers": "before(heads) * leaving", "heads": "before(heads) + hires - leavers", "ready": "ramped(hires, ramp)",
    "pay": "heads * salary", "charges": "pay * charge_rate", "bonus": "max(0, pay - 9000) * 5 %",
    "cost": "pay + charges + bonus",
}  # fmt: skip
ROLE_TOTALS = ("cost", "heads", "charges")
INPUTS = {
    "charge_rate": 0.21, "rent": 12000, "marketing_share": 0.04, "admin": 9000, "loan_rate": 0.06, "vat_rate": 0.2,
    "customer_days": 38, "supplier_days": 27, "overdraft_limit": 150000, "overdraft_rate": 0.09, "floor": 20000,
    "tax_rate": 0.25, "dividends": 0,
}  # fmt: skip
ASSET_INPUTS = {
    "capex": ({"every": {"amount": 40000, "months": 12, "since": "2026-03"}}, {"one_off": {"2026-02": 90000}}, 1500)
}
LOAN_INPUTS = {
    "drawn": ({"one_off": {"2026-01": 200000}}, {"one_off": {"2027-01": 120000}}, {"one_off": {"2026-06": 80000}}),
    "payment": (4000, 2500, 1500),
}


def added(*names):
    return " + ".join(names)


def totals(part, numbers):
    return added(*(f"{part}_total_{k}" for k in numbers))


def finance_lines(products, roles):
    half = len(roles) // 2
    return {
        "revenue": totals("net", products), "materials": totals("material", products),
        "couriers": totals("courier", products), "card_fees": totals("fees", products),
        "hours_needed": totals("hours", products), "customers_all": totals("customers", products),
        "delivery_people": totals("cost", roles[:half]), "office_people": totals("cost", roles[half:]),
        "charges_all": totals("charges", roles), "heads_all": totals("heads", roles),
        "marketing": "marketing_share * before(revenue)",
        "gross_profit": "revenue - materials - couriers - card_fees - delivery_people",
        "overheads": "office_people + rent + marketing + admin", "ebitda": "gross_profit - overheads",
        "depreciation": added(*(f"depreciation_{k}" for k in ASSETS)), "capex": added(*(f"capex_{k}" for k in ASSETS)),
        "net_book_value": "before(net_book_value) + capex - depreciation", "ebit": "ebitda - depreciation",
        "interest_loans": added(*(f"interest_{k}" for k in LOANS)), "loans": added(*(f"balance_{k}" for k in LOANS)),
        "drawn": added(*(f"drawn_{k}" for k in LOANS)), "repaid": added(*(f"repaid_{k}" for k in LOANS)),
        "vat_out": "revenue * vat_rate", "vat_in": "(materials + couriers + rent + marketing) * vat_rate",
        "vat_paid": "if fiscal_month = 1 or fiscal_month = 4 or fiscal_month = 7 or fiscal_month = 10 "
                    "then before(vat_owed) else 0",
        "vat_owed": "before(vat_owed) + vat_out - vat_in - vat_paid",
        "invoiced": "revenue + vat_out", "receivables": "outstanding(invoiced, customer_days)",
        "collected": "before(receivables) + invoiced - receivables",
        "bought": "materials + couriers + rent + marketing + vat_in", "payables": "outstanding(bought, supplier_days)",
        "paid": "before(payables) + bought - payables", "charges_owed": "charges_all",
        "charges_paid": "before(charges_owed)",
        "people_paid": "delivery_people + office_people - charges_all + charges_paid",
        "overdraft": "min(overdraft_limit, max(0, floor - cash_after_overdraft))",
        "overdraft_interest": "before(overdraft) * overdraft_rate / 12",
        "interest": "interest_loans + overdraft_interest",
        "profit_before_tax": "ebit - interest", "profit_to_date": "year_to_date(profit_before_tax)",
        "tax_to_date": "max(0, profit_to_date) * tax_rate",
        "tax": "tax_to_date - (if fiscal_month = 1 then 0 else before(tax_to_date))",
        "tax_paid": "if fiscal_month = 5 then max(0, before(tax_owed)) else 0",
        "tax_owed": "before(tax_owed) + tax - tax_paid", "net_profit": "profit_before_tax - tax",
        "operating_receipts": "collected",
        "operating_payments": "paid + people_paid + card_fees + admin + vat_paid + tax_paid",
        "operating_flow": "operating_receipts - operating_payments - interest", "investing_flow": "0 - capex",
        "financing_flow": "drawn - repaid - dividends",
        "flow_before_overdraft": "operating_flow + investing_flow + financing_flow",
        "cash_after_overdraft": "before(cash_after_overdraft) + flow_before_overdraft",
        "cash": "cash_after_overdraft + overdraft", "retained": "before(retained) + net_profit - dividends",
        "current_assets": "cash + receivables", "total_assets": "current_assets + net_book_value",
        "owed": "payables + vat_owed + charges_owed + tax_owed", "total_liabilities": "owed + loans + overdraft",
        "equity": "share_capital + retained", "equity_and_liabilities": "equity + total_liabilities",
        "difference": "total_assets - equity_and_liabilities",
        "profit_so_far": "running_total(net_profit)", "revenue_year": "trailing(revenue, 12)",
        "ebitda_so_far": "year_to_date(ebitda)", "ebitda_margin": "ebitda / revenue",
        "revenue_per_head": "revenue / heads_all", "headroom": "cash_after_overdraft + overdraft_limit",
        "cover": "(ebitda + 1) / (interest + repaid + 1)",
    }  # fmt: skip


BALANCES = {"customers", "heads", "net_book_value", "vat_owed", "receivables", "payables", "retained"}
OPENINGS = {"customers": 400.0, "heads": 4.0, "cash_after_overdraft": 150000.0, "share_capital": 150000.0}
OUTPUTS = (
    "cash_after_overdraft", "revenue", "ebitda", "net_profit", "cash", "overdraft", "headroom", "customers_all",
    "heads_all", "ebitda_margin",
)  # fmt: skip


def build_model(scale=1, months=MONTHS):
    """Return the company, with so many times the products and roles."""
    products, roles = range(len(PRODUCTS) * scale), range(len(ROLES) * scale)
    lines = [*_inputs(products, roles), *_calculated(products, roles)]
    return Model(
        "Measured", "EUR", Timeline(Month(2026, 1), months), (Dimension("region", REGIONS),),
        (Section("all", "All"),), tuple(lines), (Profile("ramp", "Ramp", RAMP),),
    )  # fmt: skip


def _inputs(products, roles):
    for shapes, numbers in ((PRODUCT_INPUTS, products), (ROLE_INPUTS, roles)):
        for k in numbers:
            for name, (base, further, growth) in shapes.items():
                rules = {
                    (region,): read_rule(RULES, _grown(base + further * place + base * 0.02 * k, growth))
                    for place, region in enumerate(REGIONS)
                }
                yield Line(f"{name}_{k}", name, section="all", dimensions=("region",), rules=rules)
    for name, amount in {**INPUTS, "share_capital": OPENINGS["share_capital"]}.items():
        yield Line(name, name, section="all", rules={(): read_rule(RULES, amount)})
    for shapes in (ASSET_INPUTS, LOAN_INPUTS):
        for name, documents in shapes.items():
            for k, document in enumerate(documents):
                yield Line(f"{name}_{k}", name, section="all", rules={(): read_rule(RULES, document)})


def _grown(base, growth):
    return {"growth": {"base": base, "rate": growth, "pace": "each month", "since": "2026-01"}} if growth else base


def _calculated(products, roles):
    for formulas, sums, inputs, numbers in (
        (PRODUCT_LINES, PRODUCT_TOTALS, PRODUCT_INPUTS, products),
        (ROLE_LINES, ROLE_TOTALS, ROLE_INPUTS, roles),
    ):
        own = {*formulas, *inputs}
        for k in numbers:
            for name, formula in formulas.items():
                yield _line(f"{name}_{k}", numbered(formula, own, k), ("region",), OPENINGS.get(name, 0.0))
            for name in sums:
                yield _line(f"{name}_total_{k}", f"sum_over({name}_{k})")
    for k in ASSETS:
        yield _line(f"depreciation_{k}", f"straight_line(capex_{k}, {LIVES[k]})")
    for k in LOANS:
        yield _line(f"interest_{k}", f"before(balance_{k}) * loan_rate / 12")
        yield _line(f"repaid_{k}", f"min(before(balance_{k}), payment_{k})")
        yield _line(f"balance_{k}", f"before(balance_{k}) + drawn_{k} - repaid_{k}")
    for name, formula in finance_lines(products, roles).items():
        yield _line(name, formula, (), OPENINGS.get(name, 0.0))


PRODUCT_OWN = {*PRODUCT_LINES, *PRODUCT_INPUTS}


def numbered(formula, own, k):
    words = formula.replace("(", " ( ").replace(")", " ) ").replace(",", " , ").split()
    return " ".join(f"{word}_{k}" if word in own else word for word in words)


def _line(name, formula, dimensions=(), opening=0.0):
    more = {"rollup": BALANCE} if name.rsplit("_", 1)[0] in BALANCES or name in BALANCES else {}
    return Line(name, name, section="all", dimensions=dimensions, formula=formula, opening=opening, **more)
