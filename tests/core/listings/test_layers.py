"""Tests which layer a listing takes its values from."""

import pytest

from relvan.core.listings.layers import Layer, layers_of, standing_layers


def layer(number, standing=None, topic="delivery"):
    return Layer(number, topic, f"L{number}", {}, None, standing)


@pytest.mark.parametrize(
    ("category", "stands"),
    [
        ("", 1),
        ("Tools", 1),
        ("Pots", 2),
        ("pots", 2),
        ("Pots / Small", 3),
        ("Pots / Small / Mini", 3),
        ("Potsherds", 1),
    ],
)
def test_of_standing_layers_the_nearest_category_counts(category, stands):
    found = standing_layers(
        [layer(1, ""), layer(2, "Pots"), layer(3, "Pots / Small"), layer(4)], category
    )
    assert found["delivery"].id == stands


def test_a_listings_own_layer_goes_before_the_standing_one_of_its_topic_alone():
    standing = {"delivery": layer(1, ""), "returns": layer(2, "", "returns")}
    found = layers_of([layer(7)], standing)
    assert (found["delivery"].id, found["returns"].id) == (7, 2)
