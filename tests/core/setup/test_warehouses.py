"""What is known of a warehouse, and the first steps."""

import pytest

from relvan.core.setup.first_steps import FirstStep, first_steps
from relvan.core.setup.warehouses import PickUp, WarehouseFacts, check_warehouse, key_from


@pytest.mark.parametrize(
    ("days", "cut_off", "words"),
    [
        ((0, 1, 2, 3, 4), "16:00", "Mon to Fri until 16:00"),
        ((0, 2), "", "Mon, Wed"),
        ((5,), "09:30", "Sat until 09:30"),
        ((), "16:00", ""),
    ],
)
def test_pick_up_is_said_in_words(days, cut_off, words):
    assert PickUp(days, cut_off).words == words


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        ({"name": ""}, "name"),
        ({"pick_up": {"cut_off": "25:00"}}, "cut_off"),
        ({"pick_up": {"days": [7]}}, "days"),
        ({"address": {"country": "Ireland"}}, "address_country"),
    ],
)
def test_what_cannot_be_is_refused_beside_its_field(wish, field):
    facts = WarehouseFacts("yard", "Yard").changed(wish)
    assert [refusal.field for refusal in check_warehouse(facts)] == [field]


@pytest.mark.parametrize("key", ["", "Yard", "4yard", "y" * 41, "a b"])
def test_a_key_has_small_letters_digits_and_dashes(key):
    assert [refusal.field for refusal in check_warehouse(WarehouseFacts(key, "Yard"))] == [
        "warehouse"
    ]
    assert key_from("Yard, Unit 4") == "yard-unit-4"


def test_a_step_that_is_done_counts_as_done_also_when_it_was_put_aside():
    steps = {
        one.step: one for one in first_steps({FirstStep.FIRM}, [FirstStep.FIRM, FirstStep.CARRIER])
    }
    assert (steps[FirstStep.FIRM].done, steps[FirstStep.FIRM].skipped) == (True, False)
    assert (steps[FirstStep.CARRIER].done, steps[FirstStep.CARRIER].skipped) == (False, True)
    assert [step for step, one in steps.items() if one.is_open] == [
        FirstStep.WAREHOUSE,
        FirstStep.PRICE_LIST,
        FirstStep.CHANNEL,
        FirstStep.PRODUCTS,
        FirstStep.STOCK,
    ]
