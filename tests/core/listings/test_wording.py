"""Tests wording with places for the fields of a product: what it writes, and what is refused."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.listings.wording import check_wording, write

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
