"""A loan: drawn at once, in parts, or owed already; repaid in level payments, in equal principal, or at the end.

What is repaid in a month follows from what is owed and how many months are left, so that a changed rate, a further
part, a holiday or an early repayment all lead to the same end. Source: closed forms in docs/sources.md.
"""

from collections.abc import Callable
from dataclasses import dataclass

from widefork.core.axes import Month
from widefork.core.finance.schedules.annuity import annuity
from widefork.core.finance.schedules.dates import LATER, own_month
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices
from widefork.core.language.printing import write_number


@dataclass(frozen=True)
class _Course:
    """The months of a loan, as literals: drawn, first repaid, last, and a holiday in between.

    ``month`` is what is read in place of the counter: its own calendar, where it may come later.
    """

    start: Month
    first: Month
    last: Month
    holiday: tuple[Month, Month] | None
    moves_end: bool
    month: str

    @property
    def repays(self) -> str:
        """Whether principal is repaid in a month."""
        within = f"{self.month} >= {self.first.words} and {self.month} < {self.last.words}"
        return f"{within} and not ({self.rests})" if self.holiday else within

    @property
    def rests(self) -> str:
        """Whether a month lies in the holiday."""
        assert self.holiday is not None
        return f"{self.month} >= {self.holiday[0].words} and {self.month} <= {self.holiday[1].words}"

    @property
    def left(self) -> str:
        """Months left to repay in, this one included, at least 1; before a holiday, as if there were none."""
        left = f"{self.last.words} - {self.month} + 1"
        if self.holiday and self.moves_end:
            left += f" - (if {self.month} < {self.holiday[0].words} then {self.rest_months} else 0)"
        return f"max(1, {left})"

    @property
    def rest_months(self) -> int:
        """How many months the holiday lasts."""
        return 0 if self.holiday is None else self.holiday[1].ordinal - self.holiday[0].ordinal + 1


def _course(draft: Draft, owed: float) -> _Course:
    start: Month = draft.value("drawn_in") if not owed else draft.model.timeline.start.plus(-1)
    term, waits = draft.value("term_months"), draft.value("interest_only_months")
    rest: Month | None = draft.value("holiday_from")
    months = draft.value("holiday_months")
    last = start.plus(term)
    if waits >= term:
        raise draft.refuse(
            f"{waits} months of interest only leave nothing of the {term} months to repay in.", "interest_only_months"
        )
    holiday = None
    if rest is not None:
        holiday = (rest, rest.plus(months - 1))
        if draft.value("after_holiday") == "later":
            last = last.plus(months)
        if not start < rest < last or holiday[1] >= last:
            raise draft.refuse(f"The holiday needs to lie between {start.label} and {last.label}.", "holiday_from")
    is_brought = not draft.value("amount").values(draft.model.timeline).any()
    month = "month" if owed else own_month(draft, start, is_brought)
    return _Course(start, start.plus(waits + 1), last, holiday, draft.value("after_holiday") == "later", month)


def _write(draft: Draft) -> None:
    owed: float = draft.value("opening_balance")
    if bool(owed) == draft.has("drawn_in") or draft.has("drawn_in") != draft.has("amount"):
        raise draft.refuse(
            "A loan is either drawn in a month (drawn_in, amount) or owed already (opening_balance); give one of them."
        )
    if not owed:
        instead = "Give what is owed at the start and the months left instead."
        draft.refuse_before_start(draft.value("drawn_in"), "drawn_in", instead)
    course = _course(draft, owed)
    monthly = f"{draft.assume('rate')} / months_per_year"
    balance = draft.name("balance")
    draws = [draft.assume("further_parts")]
    if not owed:
        draws.append(f"(if {course.month} = {course.start.words} then {draft.assume('amount')} else 0)")
    adds = [draft.calculate("drawn", "drawn", " + ".join(draws), "loan_drawdowns")]
    average = draft.value("interest_on") == "average"
    bears = f"before({balance})" + (f" + {adds[0]}" if draft.value("drawn_at") == "beginning" else "")
    base = f"({bears} + {balance}) / 2" if average else f"({bears})"
    interest = draft.calculate("interest", "interest", f"{base} * {monthly}", "interest_expense", allow_loop=average)
    if course.holiday and draft.value("holiday_interest") == "added":
        formula = f"if {course.rests} then {interest} else 0"
        adds.append(draft.calculate("interest_added", "interest added to the loan", formula, "interest_capitalised"))
    early, postponed = draft.assume("early"), draft.assume("postponed")
    principal = _principal(draft, course, monthly, adds, owed)
    running = f"(if {course.repays} then min(before({balance}), max(0, {principal} - {postponed})) else 0)"
    if draft.value("repayment") == "bullet":
        running = "0"
    rest = f"if {course.month} >= {course.last.words} then before({balance}) else {running}"
    repaid = draft.calculate("repaid", "repaid", rest, "loan_repayments")
    formula = f"max(0, min({early}, before({balance}) - {repaid}))"
    takes = [repaid, draft.calculate("repaid_early", "repaid early", formula, "loan_repayments")]
    draft.roll("balance", "owed at month end", "", owed, adds, takes, kept_under="loans")
    _write_parts(draft, course, draft.value("repayment"), monthly, draft.value("balloon"))


def _principal(draft: Draft, course: _Course, monthly: str, adds: list[str], owed: float) -> str:
    """The formula of the principal in a month's instalment.

    It is reckoned on what is owed at the month's opening: where an early repayment is to leave the instalments as they
    are, on what would be owed without it.
    """
    repayment, balance, planned = draft.value("repayment"), draft.name("balance"), draft.name("planned")
    if repayment == "bullet":
        return "0"
    keeps = draft.value("after_early") == "fewer"
    owing = f"before({planned})" if keeps else f"before({balance})"
    end = draft.value("balloon")
    final = write_number(end)
    if repayment == "straight":
        principal = f"max(0, {owing} - {final}) / {course.left}" if end else f"{owing} / {course.left}"
        instalment = principal
    else:
        spread = f"max(0, {owing} - {final} / (1 + {monthly}) ^ ({course.left}))" if end else owing
        instalment = f"level_payment({spread}, {monthly}, {course.left})"
        principal = f"{instalment} - {owing} * {monthly}"
    if not keeps:
        return principal
    part = draft.calculate(
        "planned_principal", "principal without early repayments", f"if {course.repays} then {principal} else 0"
    )
    told = [f"{balance}_unexplained"] if draft.is_closed("balance") else []
    moved = " + ".join((f"before({planned})", *adds, *told))
    formula = f"if {course.month} >= {course.last.words} then 0 else {moved} - {part}"
    draft.balance("planned", "owed without early repayments", formula, "", owed)
    return part if repayment == "straight" else f"{instalment} - before({balance}) * {monthly}"


def _write_parts(draft: Draft, course: _Course, repayment: str, monthly: str, end: float) -> None:
    """What is due within twelve months, and what later: by the terms as they stand, without further parts."""
    balance, waited, month = draft.name("balance"), course.first.plus(-1).words, course.month
    final = write_number(end)

    def after(owed: str, left: str, pays: str) -> str:
        """What is still owed after so many of the payments left."""
        rest = f"max(1, {left} - {pays})"
        if repayment == "straight":
            repaid = f"max(0, {owed} - {final})" if end else owed
            return f"({owed} - {repaid} * {pays} / {left})"
        shrunk = f"level_payment(1, {monthly}, {left}) / level_payment(1, {monthly}, {rest})"
        if not end:
            return f"{owed} * {shrunk}"
        kept, kept_then = (f"{final} / (1 + {monthly}) ^ {months}" for months in (left, rest))
        return f"(({owed} - {kept}) * {shrunk} + {kept_then})"

    if repayment == "bullet":
        within = "0"
    elif course.holiday is None:
        pays = f"max(0, min(12, {month} + 12 - {waited}))"
        left = f"max(1, {course.last.words} - max({month}, {waited}))"
        within = f"{balance} - {after(balance, left, pays)}"
    else:
        within = _within_with_holiday(draft, course, monthly, after)
    formula = f"if {month} + 12 >= {course.last.words} then {balance} else max(0, min({balance}, {within}))"
    opening = _short_at_start(draft, course, repayment, end)
    short = draft.balance("short", "due within a year", formula, "loans_short", opening)
    owed: float = draft.value("opening_balance")
    draft.balance("long", "due later", f"{balance} - {short}", "loans_long", owed - opening)


def _within_with_holiday(draft: Draft, course: _Course, monthly: str, after: Callable[[str, str, str], str]) -> str:
    """What twelve months repay where a holiday lies in or before them: what is owed before it, through it, after it."""
    assert course.holiday is not None
    begin, over = course.holiday[0].plus(-1).words, course.holiday[1].words
    balance, waited, month = draft.name("balance"), course.first.plus(-1).words, course.month
    moved = f" - {course.rest_months}" if course.moves_end else ""
    left = f"max(1, {course.last.words} - max({month}, {waited}){moved})"
    owed = draft.balance(
        "before_holiday", "owed before the holiday, within a year",
        after(balance, left, f"max(0, min(12, {begin} - max({month}, {waited})))"),
    )  # fmt: skip
    rested = f"max(0, min({month} + 12, {over}) - max({month}, {begin}))"
    if draft.value("holiday_interest") == "added":
        owed = draft.balance("after_holiday", "owed after it, within a year", f"{owed} * (1 + {monthly}) ^ {rested}")
    left = f"max(1, {course.last.words} - max({month}, {over}))"
    then = after(owed, left, f"max(0, {month} + 12 - max({month}, {over}))")
    return f"{balance} + ({owed} - {draft.name('before_holiday')}) - {then}"


def _short_at_start(draft: Draft, course: _Course, repayment: str, end: float) -> float:
    """What of the opening balance is due within twelve months; the same reckoning in numbers."""
    owed: float = draft.value("opening_balance")
    term = course.last.ordinal - course.start.ordinal
    waits = course.first.ordinal - course.start.ordinal - 1
    if not owed or term <= 12:
        return owed
    pays, left = max(0, 12 - waits), term - waits
    if repayment == "bullet" or not pays:
        return 0.0
    if repayment == "straight":
        return max(0.0, owed - end) * pays / left
    rate = draft.first("rate") / 12
    payment = (owed - end / (1 + rate) ** left) / annuity(rate, left)
    balance = owed
    for _ in range(pays):
        balance -= payment - balance * rate
    return owed - balance


LOAN = Schedule(
    "loan",
    "Loan",
    "Money",
    "Interest at a twelfth of the yearly rate; principal level, straight or at the end; short and long part.",
    (
        Setting("amount", "amount", SettingKind.SERIES, unit="CUR", default=0, least=0),
        Setting("drawn_in", "month drawn", SettingKind.MONTH),
        LATER,
        Setting(
            "further_parts", "further parts drawn", SettingKind.SERIES, unit="CUR", default=0, least=0, is_rare=True
        ),
        Setting(
            "drawn_at",
            "drawn at",
            SettingKind.CHOICE,
            default="end",
            choices=choices(end="the end of the month", beginning="the beginning of the month"),
            hint="At the beginning it bears interest for that month too; it is repaid from the next on.",
            is_rare=True,
        ),
        Setting("opening_balance", "owed at the start", SettingKind.AMOUNT, default=0.0, least=0),
        Setting("rate", "rate a year", SettingKind.SERIES, unit="% a year", is_required=True, least=0, most=1),
        Setting("term_months", "months until repaid", SettingKind.WHOLE, is_required=True, most=600),
        Setting(
            "repayment",
            "how it is repaid",
            SettingKind.CHOICE,
            default="level",
            choices=choices(level="level payments", straight="equal principal", bullet="all at the end"),
        ),
        Setting(
            "balloon",
            "still owed at the end, repaid then",
            SettingKind.AMOUNT,
            default=0.0,
            least=0,
            when=("repayment", ("level", "straight")),
            is_rare=True,
        ),
        Setting(
            "interest_only_months",
            "months of interest only",
            SettingKind.WHOLE,
            default=0,
            least=0,
            most=600,
            is_rare=True,
        ),
        Setting("holiday_from", "holiday from", SettingKind.MONTH, is_rare=True),
        Setting("holiday_months", "months of holiday", SettingKind.WHOLE, default=3, most=60, is_rare=True),
        Setting(
            "holiday_interest",
            "interest in the holiday",
            SettingKind.CHOICE,
            default="paid",
            choices=choices(paid="is paid", added="is added to the loan"),
            is_rare=True,
        ),
        Setting(
            "after_holiday",
            "after the holiday",
            SettingKind.CHOICE,
            default="same",
            choices=choices(same="the end stays", later="the end moves back"),
            is_rare=True,
        ),
        Setting("early", "repaid early", SettingKind.SERIES, unit="CUR", default=0, least=0, is_rare=True),
        Setting(
            "postponed",
            "principal put off",
            SettingKind.SERIES,
            unit="CUR",
            default=0,
            least=0,
            hint="It is repaid over the months left.",
            is_rare=True,
        ),
        Setting(
            "after_early",
            "after an early repayment",
            SettingKind.CHOICE,
            default="smaller",
            choices=choices(smaller="smaller payments", fewer="fewer payments"),
            is_rare=True,
        ),
        Setting(
            "interest_on",
            "interest on",
            SettingKind.CHOICE,
            default="opening",
            choices=choices(opening="the opening balance", average="the average balance"),
            is_rare=True,
        ),
    ),
    _write,
    {"amount": 12000, "drawn_in": "2026-01", "rate": 0.12, "term_months": 12},
    words=lambda draft: f"{draft.shown('rate')} a year, {draft.shown('repayment')}",
)
