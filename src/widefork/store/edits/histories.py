"""Edits of what happened: histories taken in, the steps on them, and the forecasts kept of them."""

from collections.abc import Sequence
from dataclasses import replace

from widefork.core.errors import UnknownName
from widefork.core.history import History, KeptForecast, Step, merged
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import next_position
from widefork.store.loading import history_of
from widefork.store.saving import history_row
from widefork.store.tables import HistoryRow


def take_histories(histories: Sequence[History], sentence: str) -> Apply:
    """Take in what happened. It goes before what is known of a period; all else of a series stays.

    Raises (when applied)
    ------
    UnknownName: a member that is not there.
    """

    def apply(edit: Edit) -> None:
        known = _by_name(edit)
        edit.describe("\n".join(f"history:{history.name}" for history in histories), sentence)
        position = next_position(edit.rows.histories)
        for history in histories:
            row = known.get(history.name)
            if row is None:
                edit.add(history_row(history, position, edit.rows))
                position += 1
                continue
            _write(edit, row, merged(history_of(row, edit.rows), history))

    return apply


def set_history_steps(name: str, steps: Sequence[Step], sentence: str) -> Apply:
    """Take these steps on a series, in order; what came stays as it is."""

    def apply(edit: Edit) -> None:
        row = _row(edit, name)
        edit.describe(f"history:{name}|steps", sentence)
        _write(edit, row, replace(history_of(row, edit.rows), steps=tuple(steps)))

    return apply


def keep_forecasts(forecasts: Sequence[tuple[str, KeptForecast]], sentence: str) -> Apply:
    """Keep forecasts of series, by the name of each series; one of the same name there is replaced."""

    def apply(edit: Edit) -> None:
        edit.describe("\n".join(f"history:{name}|forecast {made.name}" for name, made in forecasts), sentence)
        for name, made in forecasts:
            row = _row(edit, name)
            history = history_of(row, edit.rows)
            names = [each.name for each in history.forecasts]
            kept = tuple(made if each.name == made.name else each for each in history.forecasts)
            _write(edit, row, replace(history, forecasts=kept if made.name in names else (*kept, made)))

    return apply


def drop_forecast(name: str, forecast: str, sentence: str) -> Apply:
    """Keep a forecast of a series no longer; rules that rest on it stay."""

    def apply(edit: Edit) -> None:
        row = _row(edit, name)
        history = history_of(row, edit.rows)
        edit.describe(f"history:{name}|forecast {forecast}", sentence)
        kept = tuple(each for each in history.forecasts if each.name != forecast)
        if len(kept) == len(history.forecasts):
            raise UnknownName("forecast", forecast, [each.name for each in history.forecasts])
        _write(edit, row, replace(history, forecasts=kept))

    return apply


def remove_history(name: str, sentence: str) -> Apply:
    """Forget what happened with a line at some members, or with something of its own."""

    def apply(edit: Edit) -> None:
        edit.describe(f"history:{name}", sentence)
        edit.remove(_row(edit, name))

    return apply


def _by_name(edit: Edit) -> dict[str, HistoryRow]:
    return {history_of(row, edit.rows).name: row for row in edit.rows.histories}


def _row(edit: Edit, name: str) -> HistoryRow:
    known = _by_name(edit)
    if name not in known:
        raise UnknownName("history", name, known)
    return known[name]


def _write(edit: Edit, row: HistoryRow, history: History) -> None:
    edit.update(row, **history_row(history, row.position, edit.rows).model_dump(exclude={"id"}))
