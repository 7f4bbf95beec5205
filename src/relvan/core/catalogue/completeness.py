"""Which details a product should have before it is listed, and which of them are missing."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from relvan.core.catalogue.attributes import AttributeAsk
from relvan.core.catalogue.facts import group_of, is_empty
from relvan.core.catalogue.keyed import Keyed
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
    """How many details a product should have, and the names of those that are missing."""

    asked: int
    missing: tuple[str, ...]

    @property
    def met(self) -> int:
        """The number of details that are there."""
        return self.asked - len(self.missing)


def completeness(
    facts: Mapping[str, Any], *, pictures: int, asked: Mapping[str, AttributeAsk]
) -> Completeness:
    """Returns which details a product lacks. `facts` are its flat facts together with those that
    its family lends it; `asked` is what its category recommends. Attributes that the category does
    not need do not count. A family needs no attributes, because its variants have them.

    >>> completeness({"kind": "single", "description": "A pot.", "price retail": 1690}, pictures=0, asked={}).missing
    ('weight', 'picture')
    """
    kind = str(facts.get("kind", ProductKind.SINGLE))
    groups = set(map(group_of, facts))
    there = {
        "description": bool(str(facts.get("description", "")).strip()),
        "weight": facts.get("weight_g") is not None,
        "price": Keyed.PRICE in groups,
        "picture": pictures > 0,
        "parts": bool(facts.get("parts")),
    }
    wanted = list(WANTED[kind])
    missing = [name for name in wanted if not there[name]]
    if asked and kind != ProductKind.FAMILY:
        given = {name.casefold() for name in facts}
        traits = {name.casefold() for name in Keyed.TRAIT.of(facts)}
        for name in (ask.attribute for ask in asked.values() if ask.needed):
            wanted.append(name)
            if Keyed.ATTRIBUTE.fact(name).casefold() not in given and name.casefold() not in traits:
                missing.append(name)
    return Completeness(len(wanted), tuple(missing))


def may_turn(changes: Mapping[str, Any]) -> bool:
    """Says whether changes, (old, new) by fact, may change which details a product lacks: a change
    of category does, and so does a fact that is added or removed.

    >>> may_turn({"weight_g": (700, 720)}), may_turn({"weight_g": (None, 720)}), may_turn({"category": ("A", "B")})
    (False, True, True)
    """
    return "category" in changes or any(
        is_empty(old) != is_empty(new) for old, new in changes.values()
    )
