"""The demo company worked out in plain loops from its file: no code of the core, nothing shared with it.

Every line of the assembled model is recomputed month by month, in the order somebody with pen and paper would take.
What patterns and the team plan write is recomputed where they are tested, and known here: the statements, terms and
taxes made of it are worked out anew.
"""

from collections import defaultdict
from functools import partial
from importlib.resources import files
from itertools import pairwise

from ruamel.yaml import YAML

PATTERNS = (
    "monitoring", "building", "diary", "watchpoint", "alarms", "loggers", "open_days", "shop", "market", "running",
    "watch_metrics",
)  # fmt: skip
KNOWN = (
    *PATTERNS, "staff", "monitoring_book", "watchpoint_ahead", "loggers_stock", "running_after_30", "van_lease",
    "panel_deposits", "discounted_invoices",
)  # fmt: skip
"""Sections whose lines are recomputed in the tests of patterns and schedules."""
UNTAXED = ("card_fees", "overtime", "second_lab_cost", "development")
"""Costs without sales tax, paid in the month."""
REGIONS = ("Coast", "Valley", "Upland")
MONTHS = range(36)


def number(value):
    if isinstance(value, str) and value.endswith("%"):
        return float(value[:-1]) / 100
    return float(value)


def place(text):
    year, month = str(text)[:7].split("-")
    return (int(year) - 2026) * 12 + int(month) - 1


def by_rule(rule):
    """The months an entry rule of the demo gives."""
    if not isinstance(rule, dict):
        return [number(rule)] * 36
    kind, said = next(iter(rule.items()))
    if kind == "steps":
        first = next(iter(said.values()))
        return [number(next((v for k, v in reversed(said.items()) if place(k) <= m), first)) for m in MONTHS]
    if kind == "one_off":
        return [number(next((v for k, v in said.items() if place(k) == m), 0)) for m in MONTHS]
    if kind == "growth":
        base, since = number(said["base"]), place(said["since"])
        return [base * (1 + number(said["rate"])) ** max(0, 1 + (m - since) // 12) for m in MONTHS]
    if kind == "points":
        known = sorted((place(key), number(value)) for key, value in said.items())
        return [_between(known, m) for m in MONTHS]
    if kind == "forecast":
        known = place(said["start"])
        return [0.0] * known + [number(amount) for amount in said["amounts"]]  # what came before is actual
    assert kind == "seasonal"
    whole = sum(said["shape"])
    return [said["totals"][2026 + m // 12] * said["shape"][m % 12] / whole for m in MONTHS]


def _between(points, m):
    """A straight line between points, level before the first and after the last."""
    if m <= points[0][0]:
        return points[0][1]
    for (first, low), (last, high) in pairwise(points):
        if m <= last:
            return low + (high - low) * (m - first) / (last - first)
    return points[-1][1]


def amount_in(change, m):
    """What a change says of a month, and by which operation; None where it leaves the month as it is."""
    operation = next(word for word in ("set", "add", "scale", "stop") if word in change)
    said, first = change[operation], place(change["from"]) if "from" in change else 6
    if not isinstance(said, dict):
        return operation, 0.0 if operation == "stop" else number(said)
    if "typed" in said:
        typed = said["typed"]
        return (operation, number(typed[m - first])) if m - first < len(typed) else None
    return operation, by_rule(said["rule"])[m - change.get("shift", 0)]


def changed(months, changes, member=""):
    """A list of plain months with the changes of a case, actual months left alone."""
    out = list(months)
    for change in changes:
        if member and any(member not in named for named in change.get("at", {}).values()):
            continue
        first, last = place(change.get("from", "2026-07")), place(change.get("to", "2028-12"))
        for m in range(max(6, first), min(35, last) + 1):
            found = amount_in(change, m)
            if found is not None:
                operation, amount = found
                out[m] = {"set": amount, "stop": 0.0, "add": out[m] + amount, "scale": out[m] * amount}[operation]
    return out


def later(month, by):
    """A month so many months later, as the file writes it."""
    at = place(month) + by
    return f"{2026 + at // 12}-{at % 12 + 1:02}"


def steps_of(file, case):
    """A case's changes in order, those of its moves among them, moved to the start they have in it."""
    found = []
    for step in inherited(file, case):
        if "move" not in step:
            found.append(step)
            continue
        move = next(one for one in file["moves"] if one["name"] == step["move"])
        by = place(step.get("start", move["start"])) - place(move["start"])
        for change in move["changes"]:
            if "with_move" in change:
                found += [{"line": change["line"], "add": by, "at": change.get("at", {})}] if by else []
                continue
            ends = {key: later(change[key], by) for key in ("from", "to") if key in change}
            found.append({**change, **ends, "shift": by})
    return found


def inherited(file, case):
    """A case's steps behind its parent's; a move met again stands where it stood, what is dropped does not happen."""
    own = next(one for one in file["cases"] if one["name"] == case)
    steps = list(inherited(file, own["parent"])) if "parent" in own else []
    for step in own.get("steps", []):
        again = [n for n, known in enumerate(steps) if "move" in step and known.get("move") == step["move"]]
        if again:
            steps[again[0]] = step
        else:
            steps.append(step)
    return [step for step in steps if step.get("name") not in own.get("drops", ())]


def is_known(line):
    """Whether a line is recomputed elsewhere, or pays for one that is."""
    return line.section in KNOWN or line.name.startswith(tuple(f"settled_{prefix}_" for prefix in PATTERNS))


def _part(asset, part):
    return (f"lab_assets_{part}", asset)


class ByHand:
    """One case: ``v`` holds every line by name, its months; lines over members by (name, member).

    Parameters
    ----------
    known : by name or (name, members...), the months of lines recomputed elsewhere. posted : their names by caption.
    """

    def __init__(self, case, known, posted):
        self.posted = posted
        self.file = YAML(typ="safe").load(
            files("widefork.demo").joinpath("models", "quillmere.yaml").read_text("utf-8")
        )
        self.changes = defaultdict(list)
        for change in steps_of(self.file, case):
            self.changes[change["line"]].append(change)
        self.v = defaultdict(lambda: [0.0] * 36, known)
        self.lines = {line["name"]: line for section in self.file["sections"] for line in section["lines"]}
        self.schedules = {given["name"]: given for given in self.file["schedules"]}
        for name, line in self.lines.items():
            if name.startswith(tuple(f"{prefix}_" for prefix in PATTERNS)):
                continue
            if "rule" in line:
                self.give(name, line["rule"], line.get("actuals", []))
            for member, rule in line.get("rules", {}).items():
                self.give((name, member), rule, line.get("actuals", {}).get(member, []), name)
        for name, given in self.schedules.items():
            if name in KNOWN:
                continue
            for key in ("days", "rate", "purchase_rate", "charge_rate", "limit", "floor", "amount"):
                if key in given:
                    self.give(f"{name}_{key}", given[key], [])
        self.work()

    def give(self, key, rule, actuals, line=""):
        months = [*actuals, *by_rule(rule)[len(actuals) :]]
        self.v[key] = changed([float(x) for x in months], self.changes[line or key], key[1] if line else "")

    def adjusted(self, name, m, value):
        return changed([value] * 36, self.changes[name])[m]

    def before(self, name, m, months=1, opening=0.0):
        return self.v[name][m - months] if m >= months else opening

    def also(self, caption, m):
        """What lines recomputed elsewhere post to a caption."""
        return sum(self.v[key][m] for key in self.posted.get(caption, ()))

    def of_line(self, name, m):
        """A line recomputed elsewhere, its members taken together."""
        return sum(months[m] for key, months in self.v.items() if key == name or key[0] == name)

    def sum(self, name, m):
        return sum(self.v[name, region][m] for region in REGIONS)

    def work(self):
        for m in MONTHS:
            self.lab(m)
            self.sales(m)
        for m in MONTHS:
            self.trade(m)
            self.assets(m)
            self.money(m)
            self.income(m)
            self.tax(m)
            self.cash(m)
            self.rest(m)

    def lab(self, m):
        v = self.v
        lab = "Lab analysts"
        v["lab_hours"][m] = v["staff_capacity", lab][m] + v["staff_taken_on", lab][m]
        v["panel_capacity"][m] = v["lab_hours"][m] / v["hours_per_panel"][m]
        v["panels_wanted"][m] = self.adjusted("panels_wanted", m, v["panel_contracts"][m] * v["panels_per_contract"][m])
        actual = self.lines["panels_done"]["actuals"]
        v["panels_done"][m] = actual[m] if m < 6 else min(v["panels_wanted"][m], v["panel_capacity"][m])
        v["kit_hours_wanted"][m] = self.sum("kits_ordered", m) * v["hours_per_kit"][m]
        panel_hours = v["panels_done"][m] * v["hours_per_panel"][m]
        v["kit_share"][m] = min(1, (v["lab_hours"][m] - panel_hours) / v["kit_hours_wanted"][m])
        wanted = v["panels_wanted"][m] * v["hours_per_panel"][m] + v["kit_hours_wanted"][m]
        v["lab_hours_wanted"][m], v["analysts_short"][m] = wanted, v["staff_short", lab][m]
        teams = self.file["dimensions"]["team"]
        for region in REGIONS:
            visits = v["checks_wanted", region][m] * v["hours_per_check"][m]
            season = v["season_extra"][m] if 3 <= m % 12 <= 8 else 0.0
            v["rounds_hours", region][m] = v["collecting_hours", region][m] * (1 + season)
            v["field_hours_wanted", region][m] = v["rounds_hours", region][m] + visits
            own = [team for team in teams if teams[team]["region"] == region]
            v["field_hours", region][m] = sum(v["staff_work", t][m] * v["field_part", t][m] for t in own)
            free = max(0, v["field_hours", region][m] - v["rounds_hours", region][m])
            v["checks_done", region][m] = min(v["checks_wanted", region][m], free / v["hours_per_check"][m])
        for team, known in teams.items():
            field = v["field_part", team][m] * v["field_hours_wanted", known["region"]][m]
            v["hours_wanted", team][m] = v["lab_part", team][m] * wanted + field
        v["overtime_hours"][m] = v["overtime_agreed"][m] + sum(v["staff_taken_on", team][m] for team in teams)
        v["overtime"][m] = v["overtime_hours"][m] * v["overtime_rate"][m]
        v["second_lab_cost"][m] = v["second_lab_open"][m] * v["second_lab_running"][m]
        v["samplers"][m] = sum(v["staff_heads", team][m] for team in teams if v["field_part", team][m] > 0)
        v["headcount"][m] = sum(v["staff_heads", team][m] for team in teams)

    def sales(self, m):
        v = self.v
        for region in REGIONS:
            v["kits_tested", region][m] = v["kits_ordered", region][m] * v["kit_share"][m]
            v["kits_sold", region][m] = v["kits_tested", region][m] * (1 - v["kits_returned"][m])
            v["kit_revenue", region][m] = v["kits_sold", region][m] * v["kit_price", region][m]
            v["kit_materials", region][m] = v["kits_tested", region][m] * v["kit_materials_price"][m]
        v["courier"][m] = self.sum("kits_tested", m) * v["courier_price"][m]
        v["card_fees"][m] = v["card_fee"][m] * self.sum("kit_revenue", m)
        v["panel_revenue"][m] = v["panels_done"][m] * v["panel_fee"][m]
        v["panel_consumables"][m] = v["panels_done"][m] * v["panel_consumables_price"][m]
        v["revenue"][m] = self.sum("kit_revenue", m) + v["panel_revenue"][m] + self.also("revenue", m)
        v["marketing"][m] = v["marketing_share"][m] * v["revenue"][m]

    def terms(self, name, m, invoiced, paid):
        v, given = self.v, self.schedules[name]
        history = [float(x) for x in given["opening_invoices"]]
        days = v[f"{name}_days"][m]
        v[f"{name}_invoiced"][m] = invoiced
        every = [*history, *v[f"{name}_invoiced"][: m + 1]]
        ages = [every[-1 - k] * min(1, max(0, days / 30 - k)) if k < len(every) else 0 for k in range(13)]
        was = self.before(f"{name}_terms_open", m, 1, given["opening_balance"])
        v[f"{name}_terms_open"][m] = min(was + invoiced, sum(ages))
        v[f"{name}_due"][m] = v[f"{name}_{paid}"][m] = was + invoiced - v[f"{name}_terms_open"][m]
        v[f"{name}_balance"][m] = (
            self.before(f"{name}_balance", m, 1, given["opening_balance"]) + invoiced - v[f"{name}_due"][m]
        )
        left = v[f"{name}_balance"][m]
        for k in range(3):
            v[f"{name}_open_{k}"][m] = min(left, ages[k])
            left -= v[f"{name}_open_{k}"][m]
        v[f"{name}_open_older"][m] = left

    def trade(self, m):
        v = self.v
        v["reagents_used"][m] = self.sum("kit_materials", m)
        v["reagents_wanted"][m] = self.sum("kit_materials", min(35, m + 1)) * v["reagents_days"][m] / 30
        stock = self.before("reagents_balance", m, 1, 22000.0)
        v["reagents_purchases"][m] = max(0, v["reagents_wanted"][m] + v["reagents_used"][m] - stock)
        v["reagents_balance"][m] = stock + v["reagents_purchases"][m] - v["reagents_used"][m]
        taxed = sum(self.of_line(name, m) for name in self.schedules["sales_tax"]["on_sales"])
        v["sales_tax_charged"][m] = taxed * v["sales_tax_rate"][m]
        on_credit = v["reagents_purchases"][m] + v["courier"][m] + v["panel_consumables"][m] + v["marketing"][m]
        untaxed = self.of_line("building_material", m) + v["loggers_stock_purchases"][m]
        at_once = v["rent"][m] + v["software"][m] + v["accreditation"][m] + v["well_field_survey"][m]
        back = v["sales_tax_purchase_rate"][m]
        v["sales_tax_recovered"][m] = (on_credit + at_once) * back
        tax = 1 + v["sales_tax_rate"][m]
        private = self.sum("kit_revenue", m) + self.of_line("building_revenue", m)
        self.terms("kit_customers", m, private * tax, "collected")
        self.terms("municipal", m, (v["panel_revenue"][m] + v["monitoring_invoiced"][m]) * tax, "collected")
        self.terms("suppliers", m, on_credit * (1 + back) + untaxed, "paid")
        for name in ("rent", "software", "accreditation", "well_field_survey"):
            v[f"settled_{name}"][m] = v[name][m] * (1 + back)
        for name in UNTAXED:
            v[f"settled_{name}"][m] = v[name][m]

    def assets(self, m):
        v = self.v
        for asset, known in self.file["dimensions"]["equipment"].items():
            bought = place(known["bought"]) if "bought" in known else None
            can, later = bought is not None, changed([0.0] * 36, self.changes["lab_assets_later"], asset)
            value = float(known["cost"] if "cost" in known else known["book_value"])
            value = changed([value] * 36, self.changes["lab_assets_cost"], asset)[m]
            sold = place(known["sold"]) if "sold" in known else 999
            by = int(later[6]) if can and m >= 6 else 0
            begun, life, salvage = bought or 0, known["life_months"], float(known.get("salvage", 0))
            one = partial(_part, asset)
            constant = {
                "cost": value, "salvage": salvage, "life": life, "begins": 2026 * 12 + begun, "method": 0, "rate": 0,
                "ends": 2026 * 12 + sold if sold < 999 else 10**6, "sold_for": float(known.get("sold_for", 0)),
                "is_new": bought is not None, "owned": float(known.get("book_value", 0)), "can_come_later": can,
                "soonest": min(0, 6 - bought) if can else 0, "later": later[m], "later_by": by,
            }  # fmt: skip
            for part, amount in constant.items():
                v[one(part)][m] = float(amount)
            bought, begun, sold = bought + by if can else None, begun + by, sold + by
            v[one("bought")][m] = value if m == bought else 0.0
            was = v[one("net_book_value")][m - 1] if m else constant["owned"]
            v[one("available")][m] = was + v[one("bought")][m]
            v[one("age")][m] = m - begun
            starts = (m - begun) % 12 == 0
            v[one("year_value")][m] = v[one("available")][m] if starts else (v[one("year_value")][m - 1] if m else 0.0)
            in_use = begun <= m < min(begun + life, sold)
            v[one("charge")][m] = min((value - salvage) / life, v[one("available")][m] - salvage) if in_use else 0.0
            v[one("disposed")][m] = v[one("available")][m] if m == sold else 0.0
            v[one("proceeds_of_each")][m] = constant["sold_for"] if m == sold else 0.0
            v[one("net_book_value")][m] = v[one("available")][m] - v[one("charge")][m] - v[one("disposed")][m]

        def total(part):
            return sum(v[f"lab_assets_{part}", asset][m] for asset in self.file["dimensions"]["equipment"])

        v["lab_assets_spent"][m], v["lab_assets_depreciation"][m] = total("bought"), total("charge")
        v["lab_assets_sold_book_value"][m], v["lab_assets_proceeds"][m] = total("disposed"), total("proceeds_of_each")
        v["lab_assets_result"][m] = total("proceeds_of_each") - total("disposed")
        v["lab_assets_balance"][m] = total("net_book_value")
        v["sales_tax_on_equipment"][m] = v["sales_tax_with_equipment"][m] = (
            total("bought") * v["sales_tax_purchase_rate"][m]
        )

    def money(self, m):
        v = self.v
        i = v["term_loan_rate"][m] / 12
        owed = self.before("term_loan_balance", m, 1, 120000.0)
        v["term_loan_interest"][m] = owed * i
        payment = 120000 * i / (1 - (1 + i) ** -48)
        v["term_loan_repaid"][m] = payment - owed * i
        v["term_loan_balance"][m] = owed - v["term_loan_repaid"][m]
        later = owed - v["term_loan_repaid"][m]
        for _ in range(min(12, 47 - m)):
            later -= payment - later * i
        v["term_loan_long"][m] = later if m < 35 else 0.0
        v["term_loan_short"][m] = v["term_loan_balance"][m] - v["term_loan_long"][m]
        v["bridge_loan_later"] = changed([0.0] * 36, self.changes["bridge_loan_later"])
        by = v["bridge_loan_later_by"][m] = v["bridge_loan_later"][6] if m >= 6 else 0
        v["bridge_loan_own_month"][m] = 2026 * 12 + m - by
        own = m - int(by)
        drawn = v["bridge_loan_amount"][m] if own == 11 else 0.0
        owed = self.before("bridge_loan_balance", m)
        v["bridge_loan_drawn"][m], v["bridge_loan_interest"][m] = drawn, owed * v["bridge_loan_rate"][m] / 12
        v["bridge_loan_repaid"][m] = owed if own >= 35 else 0.0
        v["bridge_loan_balance"][m] = owed + drawn - v["bridge_loan_repaid"][m]
        v["bridge_loan_short" if own >= 23 else "bridge_loan_long"][m] = v["bridge_loan_balance"][m]
        was = self.before("bank_overdraft_drawn", m) + self.before("not_funded", m)
        v["bank_overdraft_interest"][m] = was * v["bank_overdraft_rate"][m] / 12
        v["bank_overdraft_agreed"][m] = v["bank_overdraft_limit"][m]

    def income(self, m):
        v = self.v
        direct = ("reagents_used", "courier", "card_fees", "panel_consumables", "overtime")
        v["cost_of_sales"][m] = sum(v[name][m] for name in direct) + self.also("cost_of_sales", m)
        v["gross_profit"][m] = v["revenue"][m] - v["cost_of_sales"][m]
        v["people_costs"][m] = self.also("people_costs", m)
        v["premises_costs"][m] = v["rent"][m] + v["second_lab_cost"][m] + self.also("premises_costs", m)
        v["marketing_costs"][m] = v["marketing"][m] + self.also("marketing_costs", m)
        office = v["development"][m] + v["software"][m] + v["accreditation"][m] + v["well_field_survey"][m]
        v["administration_costs"][m] = office + self.also("administration_costs", m)
        costs = ("people_costs", "premises_costs", "marketing_costs", "administration_costs")
        v["ebitda"][m] = v["gross_profit"][m] - sum(v[name][m] for name in costs)
        v["depreciation"][m], v["disposal_result"][m] = v["lab_assets_depreciation"][m], v["lab_assets_result"][m]
        v["operating_profit"][m] = v["ebitda"][m] - v["depreciation"][m] + v["disposal_result"][m]
        v["profit_before_financing"][m] = v["operating_profit"][m]
        own = sum(v[f"{n}_interest"][m] for n in ("term_loan", "bridge_loan", "bank_overdraft"))
        v["interest_expense"][m] = own + self.also("interest_expense", m)
        v["profit_before_tax"][m] = v["operating_profit"][m] - v["interest_expense"][m]

    def tax(self, m):
        v = self.v
        january = m - m % 12
        v["profit_tax_profit_to_date"][m] = so_far = sum(v["profit_before_tax"][january : m + 1])
        left = self.before("profit_tax_losses_left", january)
        v["profit_tax_losses_available"][m] = left
        v["profit_tax_losses_used"][m] = used = max(0, min(left, so_far))
        v["profit_tax_losses_left"][m] = left - used + max(0, -so_far)
        v["profit_tax_to_date"][m] = v["profit_tax_rate"][m] * (max(0, so_far) - used)
        earlier = v["profit_tax_to_date"][m - 1] if m % 12 else 0.0
        v["profit_tax_charge"][m] = v["income_tax"][m] = v["profit_tax_to_date"][m] - earlier
        v["profit_tax_last_year"][m] = v["profit_tax_to_date"][january - 1] if january else 7400.0
        paid = v["profit_tax_last_year"][m] if m % 12 == 4 else 0.0
        v["profit_tax_due"][m] = v["profit_tax_paid"][m] = v["income_tax_payments"][m] = v["income_tax_paid"][m] = paid
        v["profit_tax_payable"][m] = self.before("profit_tax_payable", m, 1, 7400.0) + v["income_tax"][m] - paid
        v["net_profit"][m] = v["profit_before_tax"][m] - v["income_tax"][m]
        owed = v["sales_tax_charged"][m] - v["sales_tax_recovered"][m] - v["sales_tax_on_equipment"][m]
        v["sales_tax_net"][m] = owed
        quarter = sum(v["sales_tax_net"][max(0, m - 3) : m]) if m % 3 == 0 else 0.0
        v["sales_tax_due"][m] = v["sales_tax_paid"][m] = quarter + (44200.0 if m == 0 else 0.0)
        v["sales_tax_balance"][m] = self.before("sales_tax_balance", m, 1, 44200.0) + owed - v["sales_tax_paid"][m]

    def cash(self, m):
        v = self.v
        collected = v["kit_customers_collected"][m] + v["municipal_collected"][m]
        v["customer_receipts"][m] = collected + self.also("customer_receipts", m)
        settled = (*UNTAXED, "rent", "software", "accreditation", "well_field_survey")
        paid = v["suppliers_paid"][m] + sum(v[f"settled_{name}"][m] for name in settled)
        v["supplier_payments"][m] = paid + self.also("supplier_payments", m)
        v["staff_payments"][m] = self.also("staff_payments", m)
        v["sales_tax_payments"][m] = v["sales_tax_paid"][m] + v["sales_tax_with_equipment"][m]
        v["interest_paid"][m] = v["interest_expense"][m]
        paid = ("supplier_payments", "staff_payments", "sales_tax_payments", "income_tax_payments")
        v["other_receipts"][m], v["other_payments"][m] = self.also("other_receipts", m), self.also("other_payments", m)
        other = v["other_receipts"][m] - v["other_payments"][m]
        v["receipts_less_payments"][m] = v["customer_receipts"][m] + other - sum(v[name][m] for name in paid)
        v["operating_cash_direct"][m] = v["receipts_less_payments"][m] - v["interest_paid"][m]
        v["operating_cash_flow"][m] = v["operating_cash_direct"][m]
        v["operating_category_cash"][m] = v["receipts_less_payments"][m]
        v["capital_expenditure"][m], v["disposal_proceeds"][m] = v["lab_assets_spent"][m], v["lab_assets_proceeds"][m]
        v["investing_cash_flow"][m] = v["investing_category_cash"][m] = (
            v["disposal_proceeds"][m] - v["capital_expenditure"][m]
        )
        v["loan_drawdowns"][m] = v["bridge_loan_drawn"][m] + self.also("loan_drawdowns", m)
        repaid = v["term_loan_repaid"][m] + v["bridge_loan_repaid"][m]
        v["loan_repayments"][m] = repaid + self.also("loan_repayments", m)
        v["financing_before_overdraft"][m] = v["loan_drawdowns"][m] - v["loan_repayments"][m]
        moved = v["operating_cash_flow"][m] + v["investing_cash_flow"][m] + v["financing_before_overdraft"][m]
        v["flow_before_overdraft"][m] = moved
        v["cash_after_overdraft"][m] = after = self.before("cash_after_overdraft", m, 1, 655000.0) + moved
        limit, floor = v["bank_overdraft_limit"][m], v["bank_overdraft_floor"][m]
        v["bank_overdraft_drawn"][m] = v["overdraft"][m] = max(0, min(limit, floor - after))
        v["bank_overdraft_shortfall"][m] = max(0, floor - after - limit)
        v["overdraft_drawn"][m] = v["overdraft"][m] - self.before("overdraft", m)
        v["not_funded"][m] = max(0, -(after + limit))
        v["not_funded_change"][m] = owed = v["not_funded"][m] - self.before("not_funded", m)
        v["cash"][m] = after + v["overdraft"][m] + v["not_funded"][m]
        v["financing_cash_flow"][m] = v["financing_before_overdraft"][m] + v["overdraft_drawn"][m] + owed
        v["financing_category_cash"][m] = v["financing_cash_flow"][m] - v["interest_paid"][m]
        v["net_cash_flow"][m] = moved + v["overdraft_drawn"][m] + owed
        v["overdraft_limit"][m], v["waterline"][m], v["headroom"][m] = limit, -limit, after + limit

    def rest(self, m):
        """Balances, the way from profit to cash, and the lines that read the plan."""
        v = self.v
        opening = {
            "receivables": 309976.0, "inventory": 22000.0, "payables": 57360.0, "sales_tax_payable": 44200.0,
            "payroll_liabilities": 16139.0, "tax_payable": 7400.0,
        }  # fmt: skip
        v["receivables"][m] = v["kit_customers_balance"][m] + v["municipal_balance"][m]
        v["inventory"][m] = v["reagents_balance"][m] + self.also("inventory", m)
        v["payables"][m] = v["suppliers_balance"][m] + self.also("payables", m)
        v["deferred_revenue"][m] = self.also("deferred_revenue", m)
        v["other_liabilities"][m] = self.also("other_liabilities", m)
        v["sales_tax_payable"][m], v["tax_payable"][m] = v["sales_tax_balance"][m], v["profit_tax_payable"][m]
        v["payroll_liabilities"][m] = self.also("payroll_liabilities", m)
        for name in ("receivables", "inventory"):
            v[f"{name}_released"][m] = self.before(name, m, 1, opening[name]) - v[name][m]
        for name in ("payables", "sales_tax_payable", "payroll_liabilities", "tax_payable", "deferred_revenue",
                     "other_liabilities"):  # fmt: skip
            v[f"{name}_added"][m] = v[name][m] - self.before(name, m, 1, opening.get(name, 0.0))
        v["profit_for_cash_flow"][m], v["operating_profit_for_cash_flow"][m] = (
            v["net_profit"][m],
            v["operating_profit"][m],
        )
        v["depreciation_added_back"][m], v["disposals_taken_out"][m] = v["depreciation"][m], v["disposal_result"][m]
        v["current_assets"][m] = v["cash"][m] + v["receivables"][m] + v["inventory"][m]
        v["property_and_equipment"][m] = v["long_assets"][m] = v["lab_assets_balance"][m]
        v["total_assets"][m] = v["current_assets"][m] + v["long_assets"][m]
        for part in ("loans_short", "loans_long"):
            end = part.removeprefix("loans")
            v[part][m] = v[f"term_loan{end}"][m] + v[f"bridge_loan{end}"][m] + self.also(part, m)
        v["long_liabilities"][m] = v["loans_long"][m]
        v["loans"][m] = v["loans_short"][m] + v["loans_long"][m]
        owed = ("overdraft", "not_funded", "loans_short",
                "payables", "sales_tax_payable", "payroll_liabilities", "tax_payable",
                "deferred_revenue", "other_liabilities")  # fmt: skip
        v["current_liabilities"][m] = sum(v[name][m] for name in owed)
        v["total_liabilities"][m] = v["current_liabilities"][m] + v["long_liabilities"][m]
        v["share_capital"][m] = 250000.0
        v["retained_earnings"][m] = self.before("retained_earnings", m, 1, 599877.0) + v["net_profit"][m]
        v["total_equity"][m] = v["share_capital"][m] + v["retained_earnings"][m]
        v["equity_and_liabilities"][m] = v["total_equity"][m] + v["total_liabilities"][m]
        v["profit_so_far"][m] = v["running_profit"][m] = sum(v["net_profit"][: m + 1])
        self.ratios(m)
        self.worth(m)

    def worth(self, m):
        """Free cash flow without debt, discounted from July 2026 on at 12 %, growing by 2 % beyond the plan."""
        v = self.v
        v["worth_rate"][m], v["worth_growth"][m], v["worth_tax_rate"][m] = 0.12, 0.02, v["profit_tax_rate"][m]
        year = m // 12 * 12
        so_far = v["worth_profit_to_date"][m] = sum(v["operating_profit"][year : m + 1])
        new_year = m == year
        left = self.before("worth_losses_left", m, 1, 0.0)
        v["worth_losses_available"][m] = left if new_year else v["worth_losses_available"][m - 1]
        used = v["worth_losses_used"][m] = max(0.0, min(v["worth_losses_available"][m], so_far))
        v["worth_losses_left"][m] = v["worth_losses_available"][m] - used + max(0.0, -so_far)
        v["worth_tax_to_date"][m] = v["worth_tax_rate"][m] * (max(0.0, so_far) - used)
        v["worth_tax"][m] = v["worth_tax_to_date"][m] - (0 if new_year else v["worth_tax_to_date"][m - 1])
        v["worth_not_cash"][m] = v["depreciation"][m] - v["disposal_result"][m]
        owed = ("payables", "sales_tax_payable", "payroll_liabilities", "deferred_revenue", "other_liabilities")
        v["worth_working"][m] = v["receivables_released"][m] + v["inventory_released"][m] + sum(
            v[f"{name}_added"][m] for name in owed
        )  # fmt: skip
        v["worth_spending"][m] = v["capital_expenditure"][m] - v["disposal_proceeds"][m]
        v["worth_flow"][m] = (v["operating_profit"][m] - v["worth_tax"][m] + v["worth_not_cash"][m]
                              + v["worth_working"][m] - v["worth_spending"][m])  # fmt: skip
        v["worth_factor"][m] = 1.12 ** (-max(0, m - 5) / 12)
        v["worth_present"][m] = v["worth_flow"][m] * v["worth_factor"][m] if m > 5 else 0.0
        tied = v["worth_working_capital"][m] = v["receivables"][m] + v["inventory"][m] - sum(v[n][m] for n in owed)
        if m == 35:
            v["worth_normal_flow"][m] = sum(v["operating_profit"][24:]) * (1 - v["worth_tax_rate"][m]) - 0.02 * tied
            q = (1.02 / 1.12) ** (1 / 12)
            v["worth_end_value"][m] = v["worth_normal_flow"][m] / 12 * q / (1 - q)
        v["worth_end_present"][m] = v["worth_end_value"][m] * v["worth_factor"][m]
        v["worth_business"][m] = v["worth_present"][m] + v["worth_end_present"][m]
        v["worth_net_debt"][m] = v["loans"][m] + v["overdraft"][m] + v["not_funded"][m] - v["cash"][m]
        v["worth_equity"][m] = v["worth_business"][m] - (v["worth_net_debt"][5] if m == 6 else 0.0)

    def ratios(self, m):
        v = self.v

        def year(name):
            return sum(v[name][max(0, m - 11) : m + 1]) * 12 / min(12, m + 1)

        def quarter(name):
            return sum(v[name][max(0, m - 2) : m + 1]) / min(3, m + 1)

        for name, above in (("gross_margin", "gross_profit"), ("ebitda_margin", "ebitda"),
                            ("operating_margin", "operating_profit"), ("net_margin", "net_profit")):  # fmt: skip
            v[name][m] = v[above][m] / v["revenue"][m]
        v["return_on_capital"][m] = year("operating_profit") / (v["total_assets"][m] - v["current_liabilities"][m])
        owed = self.before("receivables", m, 1, 309976.0)
        owing = self.before("payables", m, 1, 57360.0)
        v["invoiced_to_customers"][m] = v["customer_receipts"][m] + v["receivables"][m] - owed + v["bad_debts"][m]
        v["invoiced_by_suppliers"][m] = v["supplier_payments"][m] + v["payables"][m] - owing
        v["taken_from_stock"][m] = v["reagents_used"][m] + v["loggers_stock_used"][m]
        v["days_receivable"][m] = v["receivables"][m] / quarter("invoiced_to_customers") * 30
        v["days_payable"][m] = v["payables"][m] / quarter("invoiced_by_suppliers") * 30
        v["days_inventory"][m] = v["inventory"][m] / quarter("taken_from_stock") * 30
        v["cash_cycle"][m] = v["days_receivable"][m] + v["days_inventory"][m] - v["days_payable"][m]
        v["current_ratio"][m] = v["current_assets"][m] / v["current_liabilities"][m]
        v["quick_ratio"][m] = (v["cash"][m] + v["receivables"][m]) / v["current_liabilities"][m]
        v["net_debt"][m] = v["loans"][m] + v["overdraft"][m] + v["not_funded"][m] - v["cash"][m]
        v["net_debt_to_ebitda"][m] = v["net_debt"][m] / year("ebitda") if year("ebitda") > 0 else float("nan")
        v["interest_cover"][m] = year("operating_profit") / year("interest_expense")
        v["debt_service"][m] = v["loan_repayments"][m] + v["interest_paid"][m]
        v["debt_service_cover"][m] = (year("ebitda") - year("income_tax_paid")) / year("debt_service")
        cash = year("operating_cash_flow") + year("interest_paid") + year("investing_cash_flow")
        v["debt_service_cover_in_cash"][m] = cash / year("debt_service")
        v["equity_ratio"][m] = v["total_equity"][m] / v["total_assets"][m]
        flow = [v["operating_cash_flow"][k] + v["investing_cash_flow"][k] for k in range(max(0, m - 2), m + 1)]
        v["burn"][m] = max(0, -sum(flow)) / min(3, m + 1)
        v["runway"][m] = max(0, v["headroom"][m]) / v["burn"][m] if v["burn"][m] else float("nan")
