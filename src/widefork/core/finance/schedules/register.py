"""Registers: dimensions whose members carry attributes, read column by column as a schedule's settings say."""

from difflib import get_close_matches
from typing import Any

from widefork.core.axes import Dimension
from widefork.core.errors import InvalidValue
from widefork.core.finance.schedules.schedule import Draft
from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import MemberKey

FAR_AHEAD = 10**6
"""A month's running number beyond every timeline: for what has no end."""


NEAR_ENOUGH = 0.8
"""How alike a name and an attribute's need to be for one to be a slip, from 0 to 1; chosen by trying."""


class Columns:
    """The attributes of a register's members, each checked.

    Parameters
    ----------
    key : the setting that names the register, where messages belong.
    """

    def __init__(self, draft: Draft, register: Dimension, attributes: tuple[Setting, ...], key: str) -> None:
        self._draft, self._register, self._key = draft, register, key
        self._attributes = {attribute.key: attribute for attribute in attributes}
        self._refuse_misspelt()

    def _refuse_misspelt(self) -> None:
        """Members may say more of themselves than is asked; but not what only nearly is an attribute.

        Raises
        ------
        InvalidModel: names the nearest attribute.
        """
        known = [*self._attributes, *self._draft.model.dimension_by_name]
        for member in self._register.members:
            for given in self._register.attributes.get(member, {}):
                near = get_close_matches(given, self._attributes, 1, NEAR_ENOUGH) if given not in known else []
                if near:
                    raise self._draft.refuse(
                        f"{member} has no attribute “{given}”. Did you mean {near[0]}? "
                        f"It has {', '.join(self._attributes)}.",
                        self._key,
                    )

    def label(self, key: str) -> str:
        """Return what the page calls an attribute."""
        return self._attributes[key].label

    def read(self, key: str) -> dict[MemberKey, Any]:
        """Return an attribute of every member; raise InvalidModel naming the member and what was expected."""
        setting = self._attributes[key]
        found: dict[MemberKey, Any] = {}
        for member in self._register.members:
            value = self._register.attributes.get(member, {}).get(key)
            if value in (None, ""):
                if setting.is_required:
                    raise self._draft.refuse(f"{member} needs {setting.label}.", self._key)
                found[(member,)] = setting.default
                continue
            if setting.kind is SettingKind.CHOICE:
                value = next((word for word, label in setting.choices if value == label), value)
            try:
                found[(member,)] = setting.checked(_typed(setting, value), self._draft.model)
            except InvalidValue as fault:
                raise self._draft.refuse(f"{member}: {fault.sentence}", self._key) from fault
        return found

    def assume(self, key: str, unit: str = "", label: str = "") -> str:
        """Write the assumption an attribute that is a number becomes; return its name."""
        setting = self._attributes[key]
        amounts = {member: float(value) for member, value in self.read(key).items()}
        unit = (unit or setting.unit).replace("CUR", self._draft.model.currency)
        return self._draft.assume_each(key, label or setting.label, unit, self._register, amounts)

    def build(self, part: str, label: str, values: dict[MemberKey, Any]) -> str:
        """Write numbers that say how the members are built, which nobody varies; return their line's name."""
        amounts = {member: float(value) for member, value in values.items()}
        return self._draft.assume_each(part, label, "", self._register, amounts, is_fixed=True)


def _typed(setting: Setting, value: Any) -> Any:
    """An attribute as its setting takes it: registers hold text and numbers, and whole dates."""
    if setting.kind is SettingKind.MONTH:
        return str(value)[:7] if str(value)[4:5] == "-" else value
    if isinstance(value, str) and setting.kind not in (SettingKind.CHOICE, SettingKind.TEXT):
        text = value.replace(" ", "").replace(",", "")
        try:
            value = float(text.removesuffix("%")) / (100 if text.endswith("%") else 1)
        except ValueError:
            return value
    if setting.kind is SettingKind.WHOLE and isinstance(value, float) and value.is_integer():
        return int(value)
    return value
