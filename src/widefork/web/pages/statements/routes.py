"""The statements' addresses: the page, and what its forms do."""

from flask import Blueprint, Response, request

from widefork.core.finance.statements import Statement
from widefork.web.pages.statements.asides import read_asked
from widefork.web.pages.statements.form_edits import form_edit
from widefork.web.pages.statements.readings import build_checks, build_ratios, failing_checks, failing_here
from widefork.web.pages.statements.view import TABS, build
from widefork.web.shared.context import View, make_edit, open_view, refuse_sketch, render_page, workspace

BLUEPRINT = Blueprint("statements", __name__, template_folder="templates", static_folder="static",
                      static_url_path="/static/pages/statements")  # fmt: skip
RATIO_TAB, CHECK_TAB = "ratios", "checks"


@BLUEPRINT.get("/m/<int:model_id>/statements")
def show(model_id: int) -> str:
    """Show one of the statements under the waterline, the ratios, or the checks."""
    view = open_view(model_id, "statements")
    shown = request.args.get("show", "")
    tabs = _tabs(view)
    if shown == RATIO_TAB:
        ratios = build_ratios(view, request.args.get("buffer", ""))
        return render_page(view, "statements/ratios.html", ratios=ratios, tabs=tabs, shown=shown)
    if shown == CHECK_TAB:
        return render_page(view, "statements/checks.html", checks=build_checks(view), tabs=tabs, shown=shown)
    statement = Statement(shown) if shown in [s.value for s, _ in TABS] else Statement.INCOME
    seals = workspace().seals.of(model_id)
    asked = read_asked(request.args, seals, lambda seal: workspace().sealed(model_id, seal))
    sheet = build(view, statement, asked)
    return render_page(view, "statements/page.html", sheet=sheet, tabs=tabs, shown=statement.value)


@BLUEPRINT.post("/m/<int:model_id>/statements/<doing>")
def change(model_id: int, doing: str) -> Response:
    """Arrange the statements, or set a limit; for every case."""
    view = open_view(model_id, "statements")
    refuse_sketch(view)
    return make_edit(model_id, form_edit(doing, view.snapshot.model, request.form))


def _fail(count: int) -> str:
    return f"{count} {'fails' if count == 1 else 'fail'}"


def _tabs(view: View) -> tuple[tuple[str, str, str, str], ...]:
    """Tabs as (name, label, address, what stands beside it)."""
    here = failing_here(view)
    elsewhere = failing_checks(view) - here
    mark = "all hold" if not elsewhere else f"all hold here, {_fail(elsewhere)} in another case"
    marks = {CHECK_TAB: _fail(here) if here else mark}
    names = [*((s.value, label) for s, label in TABS), (RATIO_TAB, "Ratios"), (CHECK_TAB, "Checks")]
    return tuple((name, label, view.address.url(show=name, arrange=None), marks.get(name, "")) for name, label in names)
