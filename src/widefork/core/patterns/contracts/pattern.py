"""Contracts and clients: a list of them by name, invoiced by their rhythm; held, hoped for and what a target needs."""

from widefork.core.finance.schedules.contracts.schedule import ATTRIBUTES
from widefork.core.finance.schedules.setting import NAME, Setting, SettingKind, choices
from widefork.core.lines import BALANCE
from widefork.core.patterns.pattern import Pattern, PatternDraft
from widefork.core.rules import RULES, write_rule


def _write(draft: PatternDraft) -> None:
    rows = draft.value("contracts")
    attributes = {}
    for row in rows:
        if row["end"] is not None and row["end"] < row["start"]:
            raise draft.refuse(
                f"{row[NAME]} ends in {row['end'].label}, before it starts in {row['start'].label}.", "contracts"
            )
        known = {key: str(value) if key in ("start", "end") else value for key, value in row.items() if key != NAME}
        attributes[row[NAME]] = {key: value for key, value in known.items() if value not in (None, "None")}
    register = draft.members("list", "contracts", [row[NAME] for row in rows], attributes)
    settings = {"register": register, "of": [draft.name("invoiced")], "counts": draft.value("counts")}
    if draft.has("target"):
        settings["target"] = write_rule(RULES, draft.rule("target"))
    draft.schedule("contracts", "book", "contracts", **settings)
    draft.calculate("invoiced", "invoiced", "CUR", draft.name("book_billed"))
    held = draft.calculate("held", "fees a month, held", "CUR", draft.name("book_held"))
    draft.calculate("weighted", "fees a month, hoped for by its probability", "CUR", draft.name("book_weighted"))
    whole = draft.calculate(
        "possible", "fees a month, with all hoped for", "CUR", f"{held} + {draft.name('book_hoped')}"
    )
    draft.ratio("sure", "share that is held", "%", held, whole)


CONTRACTS = Pattern(
    "contracts",
    "Contracts and clients",
    "A list of contracts by name: what each pays and when, held or hoped for; and how many more a target needs.",
    (
        Setting("contracts", "contracts", SettingKind.ROWS, columns=ATTRIBUTES, is_required=True,
                hint="Paste them from a spreadsheet, or type; a fee is for one period of its rhythm."),
        Setting("counts", "hoped-for ones count", SettingKind.CHOICE, default="weighted",
                choices=choices(weighted="by their probability", held="not at all", all="in full")),
        Setting("target", "fees wanted a month", SettingKind.SERIES, "CUR", default=0, least=0,
                hint="Then it says how many contracts more that needs."),
    ),
    _write,
    {"contracts": [
        {"name": "Town", "fee": 1000, "start": "2026-02"},
        {"name": "Harbour", "fee": 9000, "rhythm": "quarterly", "start": "2026-03", "end": "2027-02", "renewal": 0.5},
        {"name": "Spa", "fee": 6000, "rhythm": "yearly", "start": "2026-05", "status": "hoped", "probability": 0.25},
    ], "target": 8000},
    ("weighted", "held"),
    rollups={"held": BALANCE, "weighted": BALANCE, "possible": BALANCE},
)  # fmt: skip
