"""The firm: its numbers with authorities, its address, its clock."""

from zoneinfo import ZoneInfo

import pytest

from relvan.core.setup.countries import country_names
from relvan.core.setup.firm import Firm, check_firm, check_vat_number, time_zones


@pytest.mark.parametrize(
    "number",
    ["", "IE1234567T", "DE123456788", "GB123456727", "XI123456727", "EL123456783", "FR11123456782"],
)
def test_a_vat_number_with_right_check_digits_is_taken(number):
    assert check_vat_number(number) == []


@pytest.mark.parametrize("number", ["DE123456789", "IE1234567U", "1234567T", "ZZ1", "EU", "FR1"])
def test_a_vat_number_with_a_wrong_digit_or_country_is_refused(number):
    (refusal,) = check_vat_number(number)
    assert (refusal.code, refusal.field) == ("form", "vat_number")


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        ({"eori": "1234"}, "eori"),
        ({"eori": "ZZ1234"}, "eori"),
        ({"currency": "XYZ"}, "currency"),
        ({"locale": "english"}, "locale"),
        ({"time_zone": "Dublin"}, "time_zone"),
        ({"time_zone": "../../etc/passwd"}, "time_zone"),
        ({"address": {"country": "Ireland"}}, "address_country"),
        ({"address": {"mail": "nobody"}}, "address_mail"),
        ({"name": "x" * 121}, "name"),
        ({"name": "a\x00b"}, "name"),
    ],
)
def test_what_cannot_be_is_refused_beside_its_field(wish, field):
    assert [refusal.field for refusal in check_firm(Firm().changed(wish))] == [field]


def test_what_a_wish_does_not_name_stays():
    first = Firm().changed(
        {"name": " Quillmoss ", "vat_number": "ie 123.456-7t", "address": {"town": "Port Ellery"}}
    )
    assert (first.name, first.vat_number) == ("Quillmoss", "IE1234567T")
    second = first.changed({"address": {"country": "ie"}})
    assert (second.address.town, second.address.country) == ("Port Ellery", "IE")
    assert (second.name, second.currency) == ("Quillmoss", "EUR")
    assert check_firm(second) == []


def test_a_firm_is_named_when_papers_can_say_who_sends_them():
    assert not Firm(name="Quillmoss").is_named
    address = {"street": "4 Quay Street", "town": "Port Ellery"}
    assert Firm().changed({"name": "Quillmoss", "address": address}).is_named


def test_countries_are_named_in_the_language_and_hold_no_unions():
    assert country_names("de_DE")["NL"] == "Niederlande"
    assert not {"EU", "EZ", "UN", "ZZ"} & country_names("en_IE").keys()
    assert {"Europe/Dublin", "Asia/Tokyo"} <= set(time_zones())
    assert [name for name in time_zones() if not ZoneInfo(name).key] == []
