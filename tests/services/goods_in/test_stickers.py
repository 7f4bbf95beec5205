"""Tests that the labels of bins and units are read by a barcode reader from the PDF."""

import pytest
import zxingcpp
from pypdfium2 import PdfDocument

from relvan.core.papers.stickers import Arrow, StickerPaper, bin_sticker, unit_sticker
from relvan.core.refusal import NotFound, Refused
from relvan.services.goods_in.stickers import bin_labels, unit_labels
from relvan.services.setup.bins import add_bins
from tests.house import add_pot


def read_off(content):
    """Returns what a reader sees on each page."""
    return [
        [found.text for found in zxingcpp.read_barcodes(page.render(scale=4).to_pil())]
        for page in PdfDocument(content)
    ]


@pytest.fixture
def floor(workplace, owner):
    add_bins(workplace, owner, "millrace", ["A-01-1", "A-01-2", "LONG-BIN-CODE-0001"])
    return workplace


def test_bins_are_labelled_one_after_the_other(floor):
    wanted = ["a-01-2", "LONG-BIN-CODE-0001"]
    content = bin_labels(floor, "millrace", wanted, Arrow.LEVEL)
    assert read_off(content) == [["A-01-2"], ["LONG-BIN-CODE-0001"]]
    page = PdfDocument(content)[0]
    assert "↑" in page.get_textpage().get_text_range()
    assert [round(side / 72 * 25.4) for side in page.get_size()] == [100, 50]
    assert len(read_off(bin_labels(floor, "millrace"))) >= 3
    with pytest.raises(NotFound):
        bin_labels(floor, "millrace", ["Z-99"])


@pytest.mark.parametrize(
    ("gtin", "read"),
    [
        ("4006381333931", "4006381333931"),
        ("96385074", "96385074"),
        ("036000291452", "0036000291452"),
        ("10614141000415", "0110614141000415"),
        (None, "PT-14"),
    ],
)
def test_units_carry_the_barcode_of_their_gtin(workplace, owner, gtin, read):
    add_pot(workplace, owner, "PT-14", units=0, gtin=gtin)
    pages = read_off(unit_labels(workplace, {"PT-14": 2}))
    assert len(pages) == 2
    for page in pages:
        (text,) = page
        assert text.replace("(01)", "01").lstrip("0") == read.lstrip("0")


def test_sheets_hold_many_and_none_is_refused(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=0, gtin="4006381333931")
    pages = read_off(unit_labels(workplace, {"PT-14": 30}, StickerPaper.SHEET))
    assert len(pages) == 2
    assert sum(map(len, pages)) == 30
    for count in (0, 2_001):
        with pytest.raises(Refused, match="labels are printed at once"):
            unit_labels(workplace, {"PT-14": count})
    with pytest.raises(NotFound):
        unit_labels(workplace, {"NOBODY": 1})


@pytest.mark.parametrize(
    ("code", "arrow", "sign"),
    [
        ("A-01", Arrow.NONE, ""),
        ("A-01", Arrow.UP, "↑"),
        ("A-01", Arrow.DOWN, "↓"),
        ("A-01", Arrow.LEVEL, ""),
        ("A-01-1", Arrow.LEVEL, "↓"),
        ("A.01.02", Arrow.LEVEL, "↑"),
        ("A-01-A", Arrow.LEVEL, "↓"),
    ],
)
def test_an_arrow_points_to_the_level(code, arrow, sign):
    assert bin_sticker(code, arrow).sign == sign


def test_without_a_gtin_the_sku_is_the_code():
    assert unit_sticker("PT-9", "Pot", "").code == "PT-9"
    assert unit_sticker("PT-9", "Pot", "123").kind == "Code 128"
