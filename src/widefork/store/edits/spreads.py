"""Edits of how lines are drawn at random, and of which go together."""

from widefork.core.spreads import Correlation, SpreadSetting
from widefork.store.edit import Apply, Edit
from widefork.store.edits.frame import change_model
from widefork.store.loading import correlations_of, spreads_of
from widefork.store.saving import spreads_document


def set_spread(setting: SpreadSetting, sentence: str) -> Apply:
    """Say how a line is drawn, in place of what was said before. Raises UnknownName (when applied)."""
    return _changed(sentence, setting.line, setting, None)


def remove_spread(line: str, sentence: str) -> Apply:
    """Draw a line as usual again."""
    return _changed(sentence, line, None, None)


def set_correlation(pair: Correlation, sentence: str) -> Apply:
    """Say how much two lines go together; 0 for not at all. Raises UnknownName (when applied)."""
    return _changed(sentence, "", None, pair)


def _changed(sentence: str, line: str, setting: SpreadSetting | None, pair: Correlation | None) -> Apply:
    def apply(edit: Edit) -> None:
        document = edit.rows.frame.spreads
        spreads = [each for each in spreads_of(document, edit.rows) if each.line != line]
        pairs = list(correlations_of(document, edit.rows))
        if setting is not None:
            spreads.append(setting)
        if pair is not None:
            pairs = [each for each in pairs if {each.one, each.other} != {pair.one, pair.other}]
            pairs += [pair] if pair.coefficient else []
        change_model(sentence, spreads=spreads_document(spreads, pairs, edit.rows))(edit)

    return apply
