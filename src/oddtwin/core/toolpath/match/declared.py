"""What is meant to differ between the files: a factor with its level in each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized
from oddtwin.core.toolpath.match.traits import Trait, trait_of
from oddtwin.core.toolpath.match.values import number_and_unit, plain_key, same_value

PACKS: Final = frozenset({"pack", "settings_pack", "profile"})


@dataclass(frozen=True, slots=True)
class Declared:
    """A factor: its name, and the level that each file should have, the baseline's first.

    A ``pack`` is many settings at once: whatever differs belongs to it.
    """

    name: str
    levels: tuple[str, ...]
    pack: bool = False

    @property
    def trait(self) -> Trait | None:
        """The rule by which it can be measured from the motion, if there is one."""
        return trait_of(self.name)

    def is_about(self, key: str) -> bool:
        """Return whether a setting (its plain key) is this factor's."""
        if key == plain_key(self.name):
            return True
        trait = self.trait
        return trait is not None and key in trait.keys

    def fits(self, values: tuple[str | None, ...]) -> bool:
        """Return whether a setting's values are this factor's levels, where no rule knows its key."""
        # Where no rule knows its key, a setting whose values are just the levels is taken for the factor
        # under another name.
        return self.trait is None and all(
            value is not None and same_value(value, level)
            for value, level in zip(values, self.levels, strict=True)
        )

    @property
    def title(self) -> str:
        """The name as a sentence begins with it."""
        return capitalized(self.name.replace("_", " "))

    def numbers(self) -> tuple[float, ...] | None:
        """Return the levels as numbers in their base units; None where one is a name."""
        found = [number_and_unit(level) for level in self.levels]
        return None if None in found else tuple(item[0] for item in found if item)


def parse_declared(text: str) -> Declared:
    """Read a factor as it is typed: ``key=from:to``.

    Raises
    ------
    ValueError
        It has another form.
    """
    name, equals, levels = text.partition("=")
    parts = [part.strip() for part in levels.split(":")]
    if not equals or not name.strip() or len(parts) < 2 or not all(parts):
        raise ValueError(
            tr(
                "“{text}” is no declaration; write it as key=from:to, such as layer_height=0.20:0.28",
                text=text,
            )
        )
    return Declared(name.strip(), tuple(parts), plain_key(name) in PACKS)
