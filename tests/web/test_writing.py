"""How numbers, money and moments are written, and how typed forms are read."""

from datetime import UTC, datetime, timedelta

import pytest
from lxml import html

from relvan.core.refusal import Refused
from relvan.services.catalogue.save import change_facts
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.web.reading import FormReader
from relvan.web.rendering import SellersHand, static_path
from tests.house import add_pot
from tests.visitor import shown


@pytest.fixture
def hand():
    return SellersHand()


@pytest.mark.parametrize(
    ("amount", "currency", "text"),
    [
        (None, "", ""),
        (0, "", "€0.00"),
        (123456, "", "€1,234.56"),
        (-50, "", "-€0.50"),
        (1000, "CHF", "CHF\u00a010.00"),
        (500, "JPY", "JP¥500"),
    ],
)
def test_money(hand, amount, currency, text):
    assert hand.money(amount, currency) == text


def test_money_in_another_locale():
    assert SellersHand(locale="de_DE").money(123456) == "1.234,56\xa0€"


@pytest.mark.parametrize(
    ("grams", "text"),
    [
        (None, ""),
        (0, "0 g"),
        (999, "999 g"),
        (1000, "1 kg"),
        (1234, "1.234 kg"),
        (20500, "20.5 kg"),
    ],
)
def test_weights(hand, grams, text):
    assert hand.grams(grams) == text


@pytest.mark.parametrize(
    ("ago", "words"),
    [
        (timedelta(seconds=10), "just now"),
        (timedelta(minutes=5), "5 minutes ago"),
        (timedelta(hours=3), "3 hours ago"),
        (timedelta(days=2), "2 days ago"),
        (timedelta(minutes=-10), "in 10 minutes"),
    ],
)
def test_moments_are_relative_and_exact_on_hover(hand, ago, words):
    moment = datetime.now(UTC) - ago
    written = hand.when(moment)
    assert f">{words}</time>" in written
    assert f'datetime="{moment.isoformat()}"' in written


@pytest.mark.parametrize(
    ("value", "name", "text"),
    [
        (None, "", "nothing"),
        ("", "", "nothing"),
        (1690, "price retail", "€16.90"),
        (700, "weight_g", "700 g"),
        ([], "", "nothing"),
        (["a", "b"], "", "a; b"),
        ({"hold_back": 1, "cap": None}, "", "hold back 1"),
    ],
)
def test_history_in_words(hand, value, name, text):
    assert hand.told(value, name) == text


def test_a_static_file_has_the_hash_of_its_content_in_its_address():
    assert static_path("css/base.css").startswith("/static/css/base.css?v=")
    assert static_path("css/base.css") != static_path("js/main.js")


@pytest.mark.parametrize(
    ("typed", "value"), [("", None), (" 12 ", 12), ("1,200", 1200), ("+3", 3), ("-3", -3)]
)
def test_whole_numbers_as_people_type_them(typed, value):
    read = FormReader({"n": typed})
    assert read.whole("n", "N") == value
    read.raise_if_refused()


@pytest.mark.parametrize("typed", ["1.5", "ten", "--1", "1e3", "９", "1234567890"])
def test_what_is_no_whole_number_is_refused_beside_its_field(typed):
    read = FormReader({"n": typed})
    read.whole("n", "N")
    with pytest.raises(Refused) as refused:
        read.raise_if_refused()
    assert refused.value.first.field == "n"


def test_everything_that_cannot_be_read_is_told_together():
    read = FormReader({"a": "x", "b": "", "c": "free"})
    read.whole("a", "A"), read.needed_whole("b", "B"), read.amount("c", "EUR")
    with pytest.raises(Refused) as refused:
        read.raise_if_refused()
    assert [refusal.field for refusal in refused.value.refusals] == ["a", "b", "c"]


def test_line_ends_are_one_character():
    assert FormReader({"t": " a\r\nb\r\n"}).lines("t") == "a\nb"


def test_a_price_out_of_the_history_has_the_currency_of_its_list(web, workplace, owner):
    add_pot(workplace, owner, "PT-14")
    add_price_list(workplace, owner, NewPriceList("francs", "Retail in francs", "CHF", True))
    for prices in ({"price francs": 1850}, {"price francs": 1900, "break francs 12": 1700}):
        assert change_facts(workplace, owner, [("PT-14", prices)])[0].ok
    told = shown(html.fromstring(web.get("/products/PT-14").text))
    assert "nothing → CHF 18.50" in told
    assert "CHF 18.50 → CHF 19.00" in told
    assert "nothing → CHF 17.00" in told


def test_pictures_in_the_history_are_counted(hand):
    assert hand.told(["ab" * 32], "pictures") == "1 picture"
    assert hand.told(["ab" * 32, "cd" * 32], "pictures") == "2 pictures"
