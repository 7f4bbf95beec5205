"""Tests papers in the seller's own layout: versions, the choice by channel, and many in one PDF."""

import io

import pytest
from lxml import etree
from pypdf import PdfReader

from relvan.core.papers.layouts import SIZES, PaperSize, drawn
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.documents.layout import layout_pdf, with_drawings
from relvan.services.picking.lists import make_pick_list
from relvan.services.setup.firm import keep_logo
from relvan.services.shipping.layouts import (
    LayoutWish,
    add_layout,
    ask_for_layouts,
    carton_labels_pdf,
    change_layout,
    list_pdf,
    preview_layout,
    shipment_called,
    slips_of_list,
    slips_pdf,
)
from relvan.store.layouts import asked_papers, layout_by_id, layout_for, versions_of
from tests.house import png, read
from tests.snapshots import built_once
from tests.steps.sale import release_all


@built_once
def shop(two_pots, owner, world):
    """Builds two orders of Hagglet and one of the own shop that wait to be picked."""
    for channel in ("hagglet", "hagglet", "ownshop"):
        world.buy(channel, "PT-14", 1)
    read(two_pots)
    release_all(two_pots, owner)
    return two_pots


def slip(shop, owner, body="<h1>{{ order.number }}</h1>", **more):
    return add_layout(shop, owner, "packing slip", LayoutWish(name="Slip", body=body, **more))


def page_sizes(pdf):
    """Returns the sizes of the pages of a PDF in mm."""
    boxes = [page.mediabox for page in PdfReader(io.BytesIO(pdf)).pages]
    return [
        (round(float(box.width) * 25.4 / 72), round(float(box.height) * 25.4 / 72)) for box in boxes
    ]


def chosen(shop, kind, channel):
    with shop.database.reading() as session:
        row = layout_for(session, kind, channel)
        return row.id if row else None


def test_the_layout_of_the_channel_is_taken_then_that_for_every_channel(shop, owner):
    assert chosen(shop, "packing slip", "hagglet") is None
    general = slip(shop, owner)
    special = slip(shop, owner, channel="hagglet")
    assert chosen(shop, "packing slip", "hagglet") == special
    assert chosen(shop, "packing slip", "ownshop") == general
    change_layout(shop, owner, special, LayoutWish(used=False))
    assert chosen(shop, "packing slip", "hagglet") == general
    assert chosen(shop, "pick list", "") is None


def test_every_version_is_kept_and_can_be_brought_back(shop, owner):
    made = slip(shop, owner)
    change_layout(shop, owner, made, LayoutWish(body="<p>{{ shipment.number }}</p>"))
    change_layout(shop, owner, made, LayoutWish(name="Better"))
    change_layout(shop, owner, made, LayoutWish(version=1))
    with shop.database.reading() as session:
        row = layout_by_id(session, made)
        assert (row.name, row.version, row.body) == ("Better", 3, "<h1>{{ order.number }}</h1>")
        assert [one.version for one in versions_of(session, made)] == [3, 2, 1]
    with pytest.raises(NotFound):
        change_layout(shop, owner, made, LayoutWish(version=9))


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        (LayoutWish(body="{{ order.__class__ }}"), "body"),
        (LayoutWish(body=" "), "body"),
        (LayoutWish(size="A0"), "size"),
        (LayoutWish(channel="bazaar"), "channel"),
        (LayoutWish(name=""), "name"),
    ],
)
def test_a_change_that_cannot_be_leaves_the_layout(shop, owner, wish, field):
    made = slip(shop, owner)
    with pytest.raises(Refused) as refused:
        change_layout(shop, owner, made, wish)
    assert refused.value.first.field == field
    with shop.database.reading() as session:
        row = layout_by_id(session, made)
        assert (row.version, row.size, row.name) == (1, "A4", "Slip")


def test_a_kind_that_is_no_paper_is_refused_and_only_who_may_makes_one(shop, owner, picker):
    with pytest.raises(Refused):
        add_layout(shop, owner, "banner", LayoutWish(name="x"))
    with pytest.raises(NotAllowed):
        add_layout(shop, picker, "packing slip", LayoutWish(name="x"))


def test_the_slips_of_a_list_are_one_pdf(shop, owner):
    made = make_pick_list(shop, owner, [1, 2, 3])
    usual = slips_of_list(shop, made)
    assert usual.startswith(b"%PDF")
    slip(shop, owner, size="A6")
    assert page_sizes(slips_of_list(shop, made)) == [(105, 148)] * 3
    slip(shop, owner, size="A5", channel="ownshop")
    assert sorted(page_sizes(slips_of_list(shop, made))) == [(105, 148), (105, 148), (148, 210)]
    assert slips_pdf(shop, [1]).startswith(b"%PDF")
    assert carton_labels_pdf(shop, 1).startswith(b"%PDF")
    assert list_pdf(shop, made).startswith(b"%PDF")
    add_layout(shop, owner, "pick list", LayoutWish(name="List"))
    assert list_pdf(shop, made).startswith(b"%PDF")
    with pytest.raises(Refused):
        slips_pdf(shop, [])


def test_another_layout_can_be_chosen_when_a_slip_is_printed(shop, owner):
    usual = slip(shop, owner)
    other = slip(shop, owner, body="<p>Other {{ order.number }}</p>", used=False)

    def text(layout=0):
        pdf = PdfReader(io.BytesIO(slips_pdf(shop, [1], layout)))
        return pdf.pages[0].extract_text()

    assert "Other" not in text()
    assert "Other" not in text(usual)
    assert "Other O-10" in text(other)
    label = add_layout(shop, owner, "carton label", LayoutWish(name="Label"))
    with pytest.raises(Refused, match="is a layout of a carton label"):
        text(label)
    with pytest.raises(NotFound):
        text(99)


def test_the_usual_slip_and_one_of_ones_own_place_the_logo(shop, owner):
    def pictures():
        page = PdfReader(io.BytesIO(slips_pdf(shop, [1]))).pages[0]
        return len(page.images)

    assert pictures() == 0
    keep_logo(shop, owner, png())
    assert pictures() == 1
    slip(shop, owner, body="<p>{{ firm.logo }}</p>")
    assert pictures() == 1
    slip(shop, owner, body="<p>{{ firm.name }}</p>")
    assert pictures() == 0


def test_each_paper_is_printed_in_the_layout_that_is_named(shop, owner):
    made = make_pick_list(shop, owner, [1])
    body = "<p>Chosen {{ order.number }}{{ list.number }}</p>"
    for kind, printed in (
        ("carton label", lambda layout: carton_labels_pdf(shop, 1, layout)),
        ("pick list", lambda layout: list_pdf(shop, made, layout)),
        ("packing slip", lambda layout: slips_of_list(shop, made, layout)),
    ):
        wish = LayoutWish(name="Mine", body=body, used=False)
        mine = add_layout(shop, owner, kind, wish)
        for layout in (0, mine):
            words = PdfReader(io.BytesIO(printed(layout))).pages[0].extract_text()
            assert ("Chosen" in words) == (layout == mine), kind


def test_which_papers_ask_is_kept_and_an_unknown_one_is_refused(shop, owner, picker):
    ask_for_layouts(shop, owner, ["packing slip", "invoice"])
    ask_for_layouts(shop, owner, ["invoice"])
    with pytest.raises(Refused, match="There is no paper “banner”"):
        ask_for_layouts(shop, owner, ["banner"])
    with pytest.raises(NotAllowed):
        ask_for_layouts(shop, picker, [])
    with shop.database.reading() as session:
        assert asked_papers(session) == {"invoice"}


def test_a_preview_is_over_a_real_order_and_draws_its_codes(shop, owner):
    body = (
        "<p>{{ order.number }}{{ barcode.shipment }}{{ barcode.order_qr }}{{ order.reference }}</p>"
    )
    found = preview_layout(shop, "packing slip", body, shipment_called(shop, "S-1001"))
    assert found.missing == ("order.reference",)
    assert found.html.count("<svg") == 2
    assert "style=" not in found.html
    with pytest.raises(NotFound):
        shipment_called(shop, "S-9")


@pytest.mark.parametrize(
    ("kind", "code", "draws"),
    [
        ("code128", "S-1001", True),
        ("gs1", "0104006381333931", True),
        ("qr", "https://shop.test/?a=1&b=2", True),
        ("code128", "№ 7", False),
    ],
)
def test_codes_are_drawn_as_pictures_and_what_cannot_be_drawn_stays_as_text(kind, code, draws):
    found = with_drawings(drawn(kind, code))
    assert found.startswith("<svg") is draws
    if draws:
        etree.parse(io.BytesIO(found.encode()))
    else:
        assert found == code


@pytest.mark.parametrize("size", list(PaperSize))
def test_every_page_is_printed_in_its_own_size(size):
    pdf = layout_pdf([("<h1>One</h1>", size), ("<p>Two</p>", PaperSize.A6)])
    assert pdf.startswith(b"%PDF")
    wide, high, _ = SIZES[size]
    assert page_sizes(pdf) == [(round(wide), round(high)), (105, 148)]
