"""What usually exists in the plan of a company, by words its lines would have (common practice)."""

import re
from dataclasses import dataclass

from widefork.core.graph.model import Model


@dataclass(frozen=True)
class Missing:
    """Something usual that no line speaks of.

    Parameters
    ----------
    label : what it is. question : as one would ask it. kind : how it usually comes, a kind of the outgoings pattern.
    under : the caption it usually stands under.
    """

    label: str
    question: str
    kind: str
    under: str
    words: str


_PREMISES, _PEOPLE, _OFFICE, _MARKETING = (
    "premises_costs", "people_costs", "administration_costs", "marketing_costs",
)  # fmt: skip
USUAL = tuple(
    Missing(label, question, kind, under, words)
    for label, question, kind, under, words in (
        ("Rent", "Does nobody pay rent?", "monthly", _PREMISES, "rent|lease|premises"),
        ("Electricity and water", "Who pays for energy and water?", "monthly", _PREMISES,
         "energy|electric|power|water and|heating|utilit"),
        ("Cleaning and repairs", "Is nothing cleaned or repaired?", "monthly", _PREMISES, "clean|repair|maintenance"),
        ("Insurance", "Is nothing insured?", "yearly", _OFFICE, "insur"),
        ("Audit and bookkeeping", "Who keeps and audits the books?", "yearly", _OFFICE, "audit|bookkeep|accountan"),
        ("Legal advice", "Will no contract need a lawyer?", "yearly", _OFFICE, "legal|lawyer|notary|advis|advice"),
        ("Software", "Which software is paid for?", "monthly", _OFFICE, "software|cloud|hosting|licen"),
        ("Telephone and internet", "Who pays for telephone and internet?", "monthly", _OFFICE,
         "phone|internet|telecom|mobile"),
        ("Bank and card fees", "Does the bank take no fee?", "monthly", _OFFICE, "bank|card fee|payment fee"),
        ("Travel", "Does nobody travel?", "monthly", _OFFICE, r"travel|vehicle|\bvans?\b|mileage|fuel"),
        ("Marketing", "How do customers hear of it?", "monthly", _MARKETING,
         "marketing|advert|fair|promotion|spent on winning"),
        ("Employer's charges", "Are charges on pay paid?", "share", _PEOPLE, "charges|payroll|people"),
        ("Recruiting", "Are people found for nothing?", "each", _PEOPLE, "recruit|hiring|people"),
        ("Training", "Does nobody learn anything?", "yearly", _PEOPLE, "training|education|conference"),
        ("Office supplies", "Who buys paper, chairs and coffee?", "monthly", _OFFICE,
         "office suppl|supplies|stationery|coffee"),
        ("Income tax", "Is there never a profit to be taxed?", "yearly", _OFFICE, "income tax|profit tax"),
        ("Equipment", "Is nothing bought that lasts?", "once", _OFFICE, "equipment|machine|fit-out|computer|asset"),
    )
)  # fmt: skip


def missing(model: Model) -> tuple[Missing, ...]:
    """Return what is usual, not said to be none of the company's, and no line or schedule of the model speaks of.

    Parameters
    ----------
    model : as stored; what schedules write says nothing of its own.
    """
    said = [line.label for line in model.lines if not line.is_generated]
    said += [f"{given.label} {given.kind.replace('_', ' ')}" for given in model.schedules]
    text = "\n".join(said).lower()
    return tuple(one for one in USUAL if one.label not in model.not_ours and not re.search(one.words, text))
