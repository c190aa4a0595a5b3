"""The demo's Base recomputed in plain loops, without the core's evaluation, from the file's own figures."""

import pytest

from widefork.core.engine import evaluate

REGIONS = ("Coast", "Valley", "Upland")


def test_cash_of_base_recomputed_by_hand(demo_model, demo_plan):
    timeline = demo_model.timeline

    def months(name, member=None):
        line = demo_plan.model.line(name)
        key = (member,) if member else ()
        values = line.rules[key].values(timeline).tolist()
        known = line.actuals.get(key, ())
        return [*known, *values[len(known) :]]

    panels_actual = demo_model.line("panels_done").actuals[()]
    cash, analysts, joins = 510000.0, 13.0, []
    receivables_kits, receivables_panels, payables = 140713.0, 117600.0, 47800.0
    kit_sales, panel_sales, bought_on_credit = [90200.0, 89600.0], [47040.0] * 3, [47800.0]
    equipment_bought, loan, drawn = [], 120000.0, 0.0
    tax_owed, last_year, losses, tax_so_far, profit_so_far = 7400.0, 7400.0, 0.0, 0.0, 0.0
    payment = 120000 * (0.054 / 12) / (1 - (1 + 0.054 / 12) ** -48)
    found = []
    for m in range(36):
        fiscal_month = m % 12 + 1
        hired = months("analysts_hired")[m]
        joins.append(hired)
        analysts += hired - analysts * (1 - (1 - 0.14) ** (1 / 12))
        learning = sum(j * (1 - min(1, 0.25 * (m - when))) for when, j in enumerate(joins))
        hours = (analysts - learning) * 132
        wanted = months("panel_contracts")[m] * 24
        panels = panels_actual[m] if m < 6 else min(wanted, hours / 2.8)
        ordered = {region: months("kits_ordered", region)[m] for region in REGIONS}
        share = min(1, (hours - panels * 2.8) / (sum(ordered.values()) * 0.3))
        tested = {region: ordered[region] * share for region in REGIONS}
        kits = sum(tested[r] * 0.96 * months("kit_price", r)[m] for r in REGIONS)
        panel = panels * months("panel_fee")[m]
        revenue = kits + panel
        materials = sum(tested.values()) * (13.6 + months("courier_price")[m])
        consumables, marketing = panels * 52, 0.032 * revenue
        pay = analysts * months("analyst_salary")[m] * 1.21
        team = months("team_heads")[m] * months("team_salary")[m] * 1.21 + hired * 2800
        overhead = sum(months(n)[m] for n in ("rent", "software", "accreditation", "well_field_survey"))
        ebitda = revenue - materials - consumables - 0.016 * kits - pay - team - marketing - overhead
        equipment_bought.append(months("equipment_bought")[m])
        depreciation = sum(equipment_bought) / 60 + (108000 / 40 if m < 40 else 0)
        interest = loan * 0.054 / 12 + drawn * 0.11 / 12
        profit = ebitda - depreciation - interest
        if fiscal_month == 1:
            last_year, tax_so_far, profit_so_far, usable = tax_owed, 0.0, 0.0, losses
        profit_so_far += profit
        tax = 0.25 * max(0, profit_so_far - usable) - tax_so_far
        tax_so_far += tax
        losses = max(0, usable - profit_so_far)
        tax_paid = last_year if fiscal_month == 5 else 0
        tax_owed += tax - tax_paid
        repaid = payment - loan * 0.054 / 12
        loan -= repaid
        kit_sales.append(kits)
        panel_sales.append(panel)
        bought_on_credit.append(materials + consumables + marketing)
        open_kits = kits + 17 / 30 * kit_sales[-2]
        open_panels = panel + panel_sales[-2] + 0.5 * panel_sales[-3]
        cash += profit - tax + depreciation + (tax - tax_paid) - equipment_bought[-1] - repaid
        cash -= open_kits - receivables_kits + open_panels - receivables_panels - (bought_on_credit[-1] - payables)
        receivables_kits, receivables_panels, payables = open_kits, open_panels, bought_on_credit[-1]
        drawn = min(80000, max(0, -cash))
        found.append(cash)
    assert evaluate(demo_plan).series("cash_after_overdraft").tolist() == pytest.approx(found, rel=1e-9)
