"""Settings of schedules and questions of patterns as text in a field, and back."""

import re
from typing import Any

from widefork.core.axes import Month
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.finance.schedules import Setting, SettingKind
from widefork.core.rules import RULES, read_rule, write_rule
from widefork.web.shared import formats
from widefork.web.shared.rule_words import exact, exact_phrase, read_amount, read_phrase


def setting_text(setting: Setting, value: Any, unit: str) -> str:
    """Return an answer as a field shows it."""
    match setting.kind:
        case SettingKind.SERIES:
            return exact_phrase(read_rule(RULES, value), unit).removeprefix("flat ")
        case SettingKind.AMOUNT:
            return exact(float(value), unit)
        case SettingKind.AMOUNTS:
            return "; ".join(formats.written_out(float(entry)) for entry in value)
        case SettingKind.MONTH:
            return Month.parse(str(value)).label
    return str(value)


def read_setting(setting: Setting, typed: str, now: Any, currency: str) -> Any:
    """Return what was typed into a setting's field as the open text format has it; None where nothing was.

    Parameters
    ----------
    now : what stands there; kept with all its digits where the field still shows it. None for nothing.

    Raises
    ------
    InvalidValue: what cannot be read, with the setting's name before it.
    """
    unit = setting.unit.replace("CUR", currency)
    text = typed.strip()
    if not text:
        return None
    if now is not None and text == setting_text(setting, now, unit):
        return now  # what is not touched keeps every digit
    try:
        value = _value(setting, text, unit)
        if now is None and setting.default is not None and value == setting.default:
            return None
        return value
    except (InvalidValue, InvalidModel) as fault:
        raise InvalidValue(f"{setting.label.capitalize()}: {getattr(fault, 'sentence', fault)}") from fault


def _value(setting: Setting, text: str, unit: str) -> Any:
    match setting.kind:
        case SettingKind.SERIES:
            return write_rule(RULES, read_phrase(text, unit))
        case SettingKind.AMOUNT:
            return read_amount(text, unit)
        case SettingKind.AMOUNTS:
            return [read_amount(part, unit) for part in re.split(r"[;\n\t]", text) if part.strip()]
        case SettingKind.WHOLE:
            if not text.isdigit() or len(text) > 4:
                raise InvalidValue(f"expected a whole number; got “{text}”.")
            return int(text)
        case SettingKind.MONTH:
            return str(Month.parse(text))
    return text
