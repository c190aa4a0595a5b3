"""Edits of what a company is asked about: usual outgoings it does not have."""

from widefork.core.analysis.outgoings import USUAL
from widefork.core.errors import UnknownName
from widefork.store.edit import Apply, Edit
from widefork.store.edits.frame import change_model


def answer_usual(label: str, is_ours: bool, sentence: str) -> Apply:
    """Say that a usual outgoing is none of this company's, or that it is to be asked about again.

    Raises (when applied)
    ------
    UnknownName: nothing usual is called so, or it was not said to be none of ours.
    """

    def apply(edit: Edit) -> None:
        others = [name for name in edit.present_model().not_ours if name != label]
        known = list(edit.present_model().not_ours) if is_ours else [one.label for one in USUAL]
        if label not in known:
            raise UnknownName("usual outgoing", label, known)
        change_model(sentence, not_ours=others if is_ours else [*others, label])(edit)

    return apply
