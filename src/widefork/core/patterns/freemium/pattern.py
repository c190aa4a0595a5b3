"""Free, turning paid: sign-ups use it for free, some pay later, and each group loses some every month."""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.patterns.pattern import WHOLE, Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    visits, rate = draft.assume("visits", "visits"), draft.assume("sign_up", "% users/visit")
    turning = draft.assume("conversion", "%")
    churn_free, churn_paid = draft.assume("churn_free", "%"), draft.assume("churn_paid", "%")
    at_start_free, at_start_paid = draft.value("free_at_start"), draft.value("paid_at_start")
    free, paid = draft.name("free"), draft.name("paid")
    joined = draft.calculate("joined", "signed up", "users", draft.whole(f"{visits} * {rate}"))
    # Shares apply to those there at the month's opening (common practice).
    converted = draft.calculate(
        "converted", "turned paid", "users", draft.whole(f"before({free}) * {turning}", most=f"before({free})")
    )
    leaving = draft.whole(f"before({free}) * {churn_free}", most=f"before({free}) - {converted}")
    left_free = draft.calculate("left_free", "free users left", "users", leaving)
    left_paid = draft.calculate(
        "left_paid", "paying users left", "users", draft.whole(f"before({paid}) * {churn_paid}", most=f"before({paid})")
    )
    draft.balance("free", "free users", "users", f"before({free}) + {joined} - {converted} - {left_free}",
                  at_start_free)  # fmt: skip
    draft.balance("paid", "paying users", "users", f"before({paid}) + {converted} - {left_paid}", at_start_paid)
    price = draft.assume("price", "CUR/user")
    draft.calculate("revenue", "revenue", "CUR", f"{paid} * {price}", "revenue")
    if draft.has("serve_free") or draft.has("serve_paid"):
        for_free, for_paid = draft.assume("serve_free", "CUR/user"), draft.assume("serve_paid", "CUR/user")
        draft.calculate("serving", "cost to serve", "CUR", f"{free} * {for_free} + {paid} * {for_paid}",
                        "cost_of_sales")  # fmt: skip


FREEMIUM = Pattern(
    "freemium",
    "Free, turning paid",
    "Sign-ups use it for free, a share of them pays later, and each group loses a share every month.",
    (
        Setting("visits", "visits a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("sign_up", "share of visits that sign up", SettingKind.SERIES, "%", is_required=True, least=0, most=1),
        Setting("conversion", "share of free users that pay from the next month", SettingKind.SERIES, "%",
                is_required=True, least=0, most=1),
        Setting("price", "price a month", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("churn_free", "share of free users leaving a month", SettingKind.SERIES, "%", default=0, least=0,
                most=1),
        Setting("churn_paid", "share of paying users leaving a month", SettingKind.SERIES, "%", default=0, least=0,
                most=1),
        Setting("free_at_start", "free users at the start", SettingKind.AMOUNT, default=0.0, least=0),
        Setting("paid_at_start", "paying users at the start", SettingKind.AMOUNT, default=0.0, least=0),
        WHOLE,
        Setting("serve_free", "serving a free user a month", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("serve_paid", "serving a paying user a month", SettingKind.SERIES, "CUR", default=0, least=0),
    ),
    _write,
    {"visits": 5000, "sign_up": 0.08, "conversion": 0.04, "price": 9, "churn_free": 0.1, "churn_paid": 0.03,
     "free_at_start": 1200, "paid_at_start": 90, "serve_free": 0.05, "serve_paid": 0.4},
    ("paid", "revenue"),
    rollups={"sign_up": "visits", "conversion": "free", "churn_free": "free", "churn_paid": "paid",
             "price": "paid", "serve_free": "free", "serve_paid": "paid"},
)  # fmt: skip
