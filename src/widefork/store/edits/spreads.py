"""Edits of how lines are drawn at random, and of which go together."""

from widefork.core.spreads import Correlation, SpreadSetting
from widefork.store.edit import Apply, Edit
from widefork.store.edits.frame import change_model
from widefork.store.loading import correlations_of, spreads_of
from widefork.store.saving import spreads_document


def set_spread(setting: SpreadSetting, sentence: str) -> Apply:
    """Say how a line or a member of it is drawn, in place of what was said. Raises UnknownName (when applied)."""
    return _changed(sentence, setting.name, setting, None)


def remove_spread(name: str, sentence: str) -> Apply:
    """Draw a line, or a line with its members as the spread is called, as usual again."""
    return _changed(sentence, name, None, None)


def set_correlation(pair: Correlation, sentence: str) -> Apply:
    """Say how much two lines go together; 0 for not at all. Raises UnknownName (when applied)."""
    return _changed(sentence, "", None, pair)


def _changed(sentence: str, name: str, setting: SpreadSetting | None, pair: Correlation | None) -> Apply:
    def apply(edit: Edit) -> None:
        document = edit.rows.frame.spreads
        spreads = [each for each in spreads_of(document, edit.rows) if each.name != name]
        pairs = list(correlations_of(document, edit.rows))
        if setting is not None:
            spreads.append(setting)
        if pair is not None:
            pairs = [each for each in pairs if {each.one, each.other} != {pair.one, pair.other}]
            pairs += [pair] if pair.coefficient else []
        change_model(sentence, spreads=spreads_document(spreads, pairs, edit.rows))(edit)

    return apply
