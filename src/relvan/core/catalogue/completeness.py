"""The basic facts that every product should have before anybody lists it, and which of them are missing."""

from relvan.core.catalogue.product import ProductKind

FACTS = ("description", "weight", "price", "picture")


def missing_facts(kind: str, *, description: str, weight_g: int | None, prices: int, pictures: int) -> tuple[str, ...]:
    """The names of the missing facts. A service has neither weight nor picture.

    >>> missing_facts("single", description="A pot.", weight_g=None, prices=1, pictures=0)
    ('weight', 'picture')
    """
    there = {
        "description": bool(description.strip()),
        "weight": weight_g is not None,
        "price": prices > 0,
        "picture": pictures > 0,
    }
    if kind == ProductKind.SERVICE:
        there |= {"weight": True, "picture": True}
    return tuple(name for name in FACTS if not there[name])
