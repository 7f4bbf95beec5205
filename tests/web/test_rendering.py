"""Tests how numbers, money, moments and the history are written."""

import re
from datetime import UTC, datetime, timedelta
from importlib.resources import files
from pathlib import Path

import pytest
from lxml import html

from relvan.services.catalogue.save import change_facts
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.web.rendering import SellersHand, fact_name, static_path
from tests.house import add_pot
from tests.visitor import post, shown


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


def test_history_says_amounts_as_money_and_settings_in_words(shop, web):
    post(web, "/prices", sku="PT-14", list="retail", amount="20", q="")
    assert "€16.90 → €20.00" in shown(html.fromstring(web.get("/products/PT-14").text))
    post(web, "/setup/channels/hagglet/shown", share="50", hold_back="1")
    assert (
        "hold back 1, share 50"
        in html.fromstring(web.get("/setup/channels/hagglet").text).text_content()
    )


def test_the_history_writes_the_name_of_a_warehouse_as_it_is_written():
    assert fact_name("safety in Coldharbour Yard") == "Safety in Coldharbour Yard"


LONGEST_LINE = 120


def test_no_line_of_a_template_is_too_long_to_review():
    wrong = [
        f"{path.name}:{number}"
        for path in Path(str(files("relvan") / "web/templates")).rglob("*.html")
        for number, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1)
        if len(line) > LONGEST_LINE and "<path" not in line
    ]
    assert wrong == []


GLUED = re.compile(r"\{%-[^%\n]*%\}(?=[\w(<{])")


def test_no_piece_of_a_template_is_glued_to_the_word_before_it():
    """The layout of templates takes a space after `%}` away, so that `a{%- if x %} b` would be
    written as `ab`; only what begins with a sign, such as a comma, may stand there."""
    assert GLUED.search("type the number{%- if order %}of its order{% endif %}")
    folder = files("relvan") / "web/templates"
    wrong = [
        f"{path.name}: {found.group()}"
        for path in Path(str(folder)).rglob("*.html")
        for found in GLUED.finditer(path.read_text(encoding="utf-8"))
    ]
    assert wrong == []
