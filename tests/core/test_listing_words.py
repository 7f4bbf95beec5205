"""Wording, structured text, likeness, translations, layers, fees and families: the rules by tables
and properties."""

from decimal import Decimal

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from relvan.core.listings.families import FamilyMember, plan_family
from relvan.core.listings.layers import Layer, layers_of, standing_layers
from relvan.core.listings.likeness import Goods, alike, compare, nearest
from relvan.core.listings.markup import to_html
from relvan.core.listings.rulebook import FeeRule
from relvan.core.listings.translating import (
    Translation,
    TranslationKind,
    Translations,
    suggest,
    translate_traits,
)
from relvan.core.listings.wording import check_wording, write
from relvan.core.prices.fees import SoldOne, fees_of, what_is_left
from tests.steps.listing_rules import BOOK

POT = {"title": "Aubrey pot", "brand": "", "sku": "PT"}
GLAZED = {"Glaze": "Ink", "sow until": "2027-01-01"}


@pytest.mark.parametrize(
    ("wording", "text", "missing"),
    [
        ("{{ product.title }} in {{ attributes.glaze }}", "Aubrey pot in Ink", ()),
        ("{{ attributes['sow until'] }}", "2027-01-01", ()),
        ("{{ product.brand }}", "", ("product.brand",)),
        ("{{ product.brand | default('no brand') }}", "no brand", ()),
        ("{% if product.brand %}by {{ product.brand }}{% else %}plain{% endif %}", "plain", ()),
        (
            "{{ attributes.size }}, {{ attributes.depth }}",
            ",",
            ("attributes.size", "attributes.depth"),
        ),
        ("{{ family.title }}", "", ("family.title",)),
        ("{{ colour }}", "", ("colour",)),
        (
            "{% for name, value in attributes | items %}{{ name }}={{ value }} {% endfor %}",
            "Glaze=Ink sow until=2027-01-01",
            (),
        ),
        ("{{ product.title | upper | replace('POT', 'POTS') }}", "AUBREY POTS", ()),
        ("Plain text, 100 % cotton", "Plain text, 100 % cotton", ()),
        ("{{ product.items }} {{ product.keys }}", "", ("product.items", "product.keys")),
        ("\u202e{{ product.title }} \U0001f331", "\u202eAubrey pot \U0001f331", ()),
    ],
)
def test_wording_says_the_products_fields_and_reports_what_is_not_said(wording, text, missing):
    assert check_wording(wording) == []
    found = write(wording, POT, GLAZED, {})
    assert (found.text, found.missing) == (text, missing)


@pytest.mark.parametrize(
    "wording",
    [
        "{{ ''.__class__ }}",
        "{{ product['__init__'] }}",
        "{{ product.title.upper() }}",
        "{{ range(9) }}",
        "{{ 'a' * 9 }}",
        "{{ 9 ** 9 }}",
        "{{ product.title | attr('x') }}",
        "{{ product.title | map('upper') }}",
        "{% for a in attributes %}{% for b in attributes %}x{% endfor %}{% endfor %}",
        "{% set x = 1 %}",
        "{% macro m() %}{% endmacro %}",
        "{% import 'os' as o %}",
        "{{ attributes[product.title] }}",
        "{{ product.title",
        "{{ lipsum }}{{ lipsum() }}",
        "{{ product.title is mapping }}",
        "x" * 20_001,
        "{{ _secret }}",
    ],
)
def test_wording_that_would_do_more_than_say_fields_is_refused(wording):
    assert [refusal.code for refusal in check_wording(wording)] in (["wording"], ["too-long"])


def test_filters_make_no_more_text_than_any_channel_takes():
    grow = (
        "{{ product.title | replace('a', 'aaaaaaaaaaaaaaaaaaaa')"
        + " | replace('a', 'aaaaaaaaaaaaaaaaaaaa')" * 6
    )
    found = write(grow + " }}", {"title": "a" * 100}, {}, {})
    assert found.text == ""
    assert found.missing


@given(st.text(max_size=200))
def test_any_text_at_all_is_either_refused_or_written(text):
    if not check_wording(text):
        assert isinstance(write(text, POT, GLAZED, {}).text, str)


@pytest.mark.parametrize(
    ("text", "allowed", "sent"),
    [
        ("One.\n\nTwo & three.", ("p",), "<p>One.</p><p>Two &amp; three.</p>"),
        (
            "A list:\n- one\n- two\nEnd.",
            ("p", "ul", "li"),
            "<p>A list:</p><ul><li>one</li><li>two</li></ul><p>End.</p>",
        ),
        (
            "<p onclick='x()'>A <b>pot</b></p><script>y()</script>",
            ("p", "b"),
            "<p>A <b>pot</b></p>",
        ),
        ("<a href='http://x'>here</a>", ("p",), "here"),
        ("Line one\nline two", ("p", "br"), "<p>Line one<br>line two</p>"),
        ("3 < 5 and 7 > 2", ("p",), "<p>3 &lt; 5 and 7 &gt; 2</p>"),
    ],
)
def test_text_is_structured_in_the_allowed_tags_and_cleaned(text, allowed, sent):
    assert to_html(text, allowed) == sent


@given(st.text(max_size=120))
def test_no_tag_beyond_the_allowed_is_ever_sent(text):
    import re

    assert {
        tag.lower() for tag in re.findall(r"<\s*/?\s*([a-z]+)", to_html(text, ("p", "br")))
    } <= {"p", "br"}


@pytest.mark.parametrize(
    ("ours", "theirs", "least", "most", "reason"),
    [
        (
            Goods("Pot", gtin="4006381333931"),
            Goods("Pot", gtin="04006381333931"),
            95,
            100,
            "same GTIN",
        ),
        (
            Goods("Pot", gtin="4006381333931"),
            Goods("Bicycle bell", gtin="4006381333931"),
            50,
            75,
            "same GTIN",
        ),
        (
            Goods("Aubrey pot", gtin="4006381333931"),
            Goods("Aubrey pot", gtin="2000000000015"),
            0,
            40,
            "other GTIN",
        ),
        (Goods("Aubrey pot, 14 cm", "Q"), Goods("Pot Aubrey 14 cm", "q"), 90, 100, "same brand"),
        (
            Goods("Aubrey pot, 14 cm"),
            Goods("Aubrey pot, 18 cm"),
            20,
            65,
            "other numbers: 14 against 18",
        ),
        (Goods("Aubrey pot"), Goods("Steel rake"), 0, 25, "titles"),
    ],
)
def test_likeness_has_reasons(ours, theirs, least, most, reason):
    found = compare(ours, theirs)
    assert least <= found.percent <= most
    assert any(told.startswith(reason) for told in found.reasons)


@given(st.text(max_size=40), st.text(max_size=40))
@example("", "\u00b8")  # of a mark by itself nothing is left
def test_likeness_is_the_same_both_ways_and_never_out_of_bounds(first, second):
    assert alike(first, second) == alike(second, first)
    assert 0 <= alike(first, second) <= 100
    assert 0 <= compare(Goods(first), Goods(second)).percent <= 100


def test_the_nearest_is_near_or_nothing():
    assert nearest("Stone-ware", ["steel", "stoneware"]) == "stoneware"
    assert nearest("beech", ["steel", "glass"]) == ""
    assert suggest("Celadon", ["green", "blue"], {"celadon": "green"}) == (
        "green",
        "used elsewhere",
    )
    assert suggest("Celadon", ["blue"], {"celadon": "green"}) == ("", "")


def test_an_entry_of_a_category_goes_before_one_of_all():
    value = TranslationKind.VALUE
    table = Translations.of(
        [
            Translation(value, "colour", "Ink", "blue"),
            Translation(value, "colour", "Ink", "deep blue", "c-pots"),
            Translation(TranslationKind.ATTRIBUTE, "material", "Stuff", "material"),
        ]
    )
    assert table.value("c-pots", "colour", "ink") == "deep blue"
    assert table.value("c-tools", "colour", "INK") == "blue"
    assert table.value("", "colour", "Oat") == ""
    assert table.origin("c-pots", BOOK.field("material")) == "attributes.Stuff"


def test_traits_of_a_channel_that_knows_any_are_told_as_they_are():
    (told,) = translate_traits(BOOK, "", {"Glaze": "Ink"}, Translations())
    assert (told.theirs, told.value, told.lacks) == ("Glaze", "Ink", "")


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


FEES = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent=Decimal("2.9"))


@pytest.mark.parametrize(("price", "total"), [(2966, 566), (170, 70), (1260, 261), (0, 65)])
def test_fees_are_those_of_the_worked_examples(price, total):
    assert fees_of(price, FEES).total == total


def test_what_is_left_is_the_profit_of_the_worked_example():
    left = what_is_left(2823, FEES, SoldOne(currency="EUR", cost=1150, delivery=380))
    assert (left.amount, left.fees.total, left.percent) == (283, 540, Decimal("12.0"))
    assert [step.label for step in left.why.steps] == [
        "Price there",
        "Tax",
        "Referral fee",
        "Fixed fee",
        "Payment fee",
        "Cost",
        "Delivery",
        "Margin",
    ]
    unknown = what_is_left(2823, FEES, SoldOne(currency="EUR", cost=None, delivery=None))
    assert [step.value for step in unknown.why.steps if step.label in ("Cost", "Delivery")] == [
        "not known"
    ] * 2


@given(st.integers(0, 10_000_000))
def test_fees_never_fall_when_the_price_rises(price):
    assert fees_of(price + 1, FEES).total >= fees_of(price, FEES).total


@given(
    st.lists(st.tuples(st.integers(0, 3), st.booleans()), max_size=6),
    st.integers(0, 2),
    st.booleans(),
)
def test_a_family_goes_as_one(members, head_gaps, leave_out):
    told = [
        FamilyMember(number, f"V{number}", gaps, must)
        for number, (gaps, must) in enumerate(members)
    ]
    plan = plan_family(head_gaps, "no shelf", told, leave_out=leave_out)
    assert {*plan.going, *plan.kept} == {member.id for member in told}
    assert not ({*plan.going} & {*plan.kept})
    if plan.head_goes:
        assert not head_gaps
        assert plan.going
        assert all(not member.gaps for member in told if member.id in plan.going)
        assert leave_out or not plan.kept
        assert all(not member.must for member in told if member.id in plan.kept)
    else:
        assert plan.reason
        assert not plan.going
