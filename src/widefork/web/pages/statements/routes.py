"""The statements' one address."""

from flask import Blueprint, request

from widefork.core.finance.statements import Statement
from widefork.web.pages.statements.view import build
from widefork.web.shared.context import open_view, render_page

BLUEPRINT = Blueprint("statements", __name__, template_folder="templates")
SHOWN = (Statement.INCOME, Statement.CASH_FLOW, Statement.BALANCE)


@BLUEPRINT.get("/m/<int:model_id>/statements")
def show(model_id: int) -> str:
    """Show one of the three statements under the waterline."""
    view = open_view(model_id, "statements")
    asked = request.args.get("show", "")
    statement = Statement(asked) if asked in [s.value for s in SHOWN] else Statement.INCOME
    return render_page(view, "statements/page.html", sheet=build(view, statement), statement=statement.value)
