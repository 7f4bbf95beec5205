"""Tests the weight check of a parcel and the choice of its service."""

from dataclasses import dataclass
from datetime import date

import pytest

from relvan.core.packing.weighing import WeighedItem, check_weight, choose_service

POTS = [WeighedItem("PT-14", 2, 600), WeighedItem("SEED", 5, 20)]


@pytest.mark.parametrize(
    ("measured", "agrees"),
    [(1380, True), (1338, False), (1339, True), (1421, True), (1422, False), (0, False)],
)
def test_three_percent_are_allowed(measured, agrees):
    check = check_weight(measured, POTS, 80)
    assert check.expected_g == 1380
    assert check.agrees is agrees


@pytest.mark.parametrize(
    ("measured", "agrees"), [(110, True), (111, False), (90, True), (89, False)]
)
def test_ten_grams_are_always_allowed(measured, agrees):
    assert check_weight(measured, [WeighedItem("SEED", 5, 20)]).agrees is agrees


@pytest.mark.parametrize(
    ("measured", "reason"),
    [
        (780, "One PT-14 less would explain it."),
        (1980, "One PT-14 more would explain it."),
        (180, "2 PT-14 less would explain it."),
        (1300, "4 SEED less would explain it."),
        (5000, "No single item explains it."),
    ],
)
def test_the_packer_is_told_which_item_would_explain_a_difference(measured, reason):
    assert check_weight(measured, POTS, 80).reason == reason


@dataclass(frozen=True)
class Offer:
    name: str
    price: int
    arrives: str


OFFERS = [
    Offer("slow", 400, "2026-12-09"),
    Offer("middle", 600, "2026-12-04"),
    Offer("fast", 900, "2026-12-02"),
    Offer("dear", 950, "2026-12-02"),
]


@pytest.mark.parametrize(
    ("promised", "chosen"),
    [
        (None, "slow"),
        (date(2026, 12, 9), "slow"),
        (date(2026, 12, 5), "middle"),
        (date(2026, 12, 2), "fast"),
        (date(2026, 12, 1), "fast"),
    ],
)
def test_the_cheapest_that_arrives_in_time_is_chosen_else_the_fastest(promised, chosen):
    assert choose_service(OFFERS, promised).name == chosen
    assert choose_service([], promised) is None
