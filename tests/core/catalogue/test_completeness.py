"""Tests which recommended details of a product are missing."""

import pytest

from relvan.core.catalogue.attributes import AttributeAsk
from relvan.core.catalogue.completeness import completeness

WHOLE = {"description": "x", "weight_g": 1, "price retail": 1}


@pytest.mark.parametrize(
    ("facts", "pictures", "asked", "missing"),
    [
        ({"kind": "single", **WHOLE}, 1, {}, ()),
        (
            {"kind": "single", "description": " "},
            0,
            {},
            ("description", "weight", "price", "picture"),
        ),
        ({"kind": "service", "description": "x", "price retail": 1}, 0, {}, ()),
        ({"kind": "service"}, 0, {}, ("description", "price")),
        ({"kind": "kit", "description": "x", "price retail": 1}, 1, {}, ("parts",)),
        ({"kind": "family", "description": "x"}, 1, {"Material": AttributeAsk("Material")}, ()),
        ({"kind": "single", **WHOLE}, 1, {"Material": AttributeAsk("Material")}, ("Material",)),
        (
            {"kind": "single", **WHOLE, "attribute material": "clay"},
            1,
            {"Material": AttributeAsk("Material")},
            (),
        ),
        (
            {"kind": "variant", **WHOLE, "trait Glaze": "Ink"},
            1,
            {"Glaze": AttributeAsk("Glaze")},
            (),
        ),
        ({"kind": "single", **WHOLE}, 1, {"Saucer": AttributeAsk("Saucer", needed=False)}, ()),
    ],
)
def test_what_is_missing_is_named(facts, pictures, asked, missing):
    found = completeness(facts, pictures=pictures, asked=asked)
    assert found.missing == missing
    assert found.met == found.asked - len(missing)
