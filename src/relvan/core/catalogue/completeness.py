"""Which facts a product should have before anybody lists it, and which of them are missing."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from relvan.core.catalogue.attributes import Ask
from relvan.core.catalogue.facts import group_of, is_empty
from relvan.core.catalogue.product import ProductKind

# kind -> what every product of that kind should have
WANTED: dict[str, tuple[str, ...]] = {
    ProductKind.SINGLE: ("description", "weight", "price", "picture"),
    ProductKind.VARIANT: ("description", "weight", "price", "picture"),
    ProductKind.KIT: ("description", "price", "picture", "parts"),
    ProductKind.FAMILY: ("description", "picture"),
    ProductKind.SERVICE: ("description", "price"),
}


@dataclass(frozen=True)
class Completeness:
    """How many facts are asked for, and the names of those missing."""

    asked: int
    missing: tuple[str, ...]

    @property
    def met(self) -> int:
        """How many are there."""
        return self.asked - len(self.missing)


def completeness(facts: Mapping[str, Any], *, pictures: int, asked: Mapping[str, Ask]) -> Completeness:
    """What a product lacks. `facts` are flat facts with what its family lends; `asked` what its category asks for.

    Attributes that the category merely likes to have do not count. A family is asked for none: its variants are.

    >>> completeness({"kind": "single", "description": "A pot.", "price retail": 1690}, pictures=0, asked={}).missing
    ('weight', 'picture')
    """
    kind = str(facts.get("kind", ProductKind.SINGLE))
    groups = set(map(group_of, facts))
    there = {
        "description": bool(str(facts.get("description", "")).strip()),
        "weight": facts.get("weight_g") is not None,
        "price": "price " in groups,
        "picture": pictures > 0,
        "parts": bool(facts.get("parts")),
    }
    wanted = list(WANTED[kind])
    missing = [name for name in wanted if not there[name]]
    if asked and kind != ProductKind.FAMILY:
        given = {name.casefold() for name in facts}
        traits = {name.removeprefix("trait ").casefold() for name in facts if name.startswith("trait ")}
        for name in (ask.attribute for ask in asked.values() if ask.needed):
            wanted.append(name)
            if f"attribute {name}".casefold() not in given and name.casefold() not in traits:
                missing.append(name)
    return Completeness(len(wanted), tuple(missing))


def may_turn(changes: Mapping[str, Any]) -> bool:
    """Whether changes, (old, new) by fact, may change what a product lacks: its category does, and what comes or goes.

    >>> may_turn({"weight_g": (700, 720)}), may_turn({"weight_g": (None, 720)}), may_turn({"category": ("A", "B")})
    (False, True, True)
    """
    return "category" in changes or any(is_empty(old) != is_empty(new) for old, new in changes.values())
