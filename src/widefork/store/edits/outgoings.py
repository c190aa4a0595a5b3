"""Edits of what a company is asked about: usual outgoings it does not have."""

from widefork.core.analysis.outgoings import USUAL
from widefork.core.errors import UnknownName
from widefork.store.edits.frame import change_model
from widefork.store.edits.rows import Apply, present_model
from widefork.store.model_store import Edit


def answer_usual(label: str, is_ours: bool, sentence: str) -> Apply:
    """Say that a usual outgoing is none of this company's, or that it is to be asked about again.

    Raises (when applied)
    ------
    UnknownName: nothing usual is called so.
    """

    def apply(edit: Edit) -> None:
        known = [one.label for one in USUAL]
        if label not in known:
            raise UnknownName("usual outgoing", label, known)
        left = {*present_model(edit).not_ours} - {label} if is_ours else {*present_model(edit).not_ours, label}
        change_model(sentence, not_ours=[name for name in known if name in left])(edit)

    return apply
