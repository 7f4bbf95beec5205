"""Tests products, pictures, stock, channels, people, check, backup: what a person does there and
what is refused."""

import io
from dataclasses import replace

import pytest
from PIL import Image
from sqlalchemy import select

from relvan.core.papers.layouts import PaperSize
from relvan.core.refusal import NotFound, Refused
from relvan.documents.layout import layout_pdf
from relvan.services.catalogue.kept_pictures import keep_picture, thumbnail_file
from relvan.services.catalogue.pictures import (
    add_kept_pictures,
    add_picture,
    put_picture_first,
    remove_picture,
)
from relvan.services.catalogue.read import view_product
from relvan.services.catalogue.save import (
    archive_products,
    change_product,
    create_product,
    save_many,
)
from relvan.services.listings.availability import availability
from relvan.services.listings.explain_price import explain_price
from relvan.services.prices.set import set_list_price
from relvan.services.stock.move import MoveStock, move_stock, set_safety
from relvan.store.catalogue import find_product
from relvan.store.history import history
from relvan.store.product_list import ProductFilter, count_products, product_page
from relvan.store.tables import Movement, Picture
from tests.house import add_pot, assert_sound, connect, count, list_everywhere, png, pot, receive


def found(workplace, **wanted):
    with workplace.database.reading() as session:
        return [row.sku for row in product_page(session, ProductFilter(**wanted))]


# products


def test_a_product_is_kept_as_it_was_said(workplace, owner):
    draft = pot("PT-14", gtin="4006381333931", aliases=("OLD-1",), floor=900, brand="Quillmoss")
    create_product(workplace, owner, draft)
    assert view_product(workplace, "pt-14").draft == draft
    assert view_product(workplace, "old-1").draft.sku == "PT-14"


@pytest.mark.parametrize(
    ("change", "code", "field"),
    [
        ({"sku": "pt-14"}, "sku-taken", "sku"),
        ({"sku": "old-1"}, "sku-taken", "sku"),
        ({"sku": "NEW", "aliases": ("PT-14",)}, "sku-taken", "aliases"),
        ({"sku": "NEW", "gtin": "04006381333931"}, "gtin-taken", "gtin"),
        ({"sku": "NEW", "prices": {"wholesale": 100}}, "not-found", "price"),
    ],
)
def test_codes_belong_to_one_product(workplace, owner, change, code, field):
    create_product(workplace, owner, pot("PT-14", gtin="4006381333931", aliases=("OLD-1",)))
    with pytest.raises(Refused) as refused:
        create_product(workplace, owner, replace(pot("X"), **change))
    assert (refused.value.first.code, refused.value.first.field) == (code, field)
    assert found(workplace) == ["PT-14"]


def test_a_change_says_what_was_and_what_is(workplace, owner):
    create_product(workplace, owner, pot("PT-14"))
    change_product(
        workplace, owner, "PT-14", replace(pot("PT-14b"), weight_g=800, prices={"retail": 2000})
    )
    with workplace.database.reading() as session:
        product = find_product(session, "PT-14B")
        newest = history(session, "product", product.id)[0]
    assert (newest.who, newest.deed) == ("Owner", "changed")
    assert newest.changes == {
        "sku": ["PT-14", "PT-14b"],
        "title": ["Pot PT-14", "Pot PT-14b"],
        "weight_g": [700, 800],
        "price retail": [1690, 2000],
    }
    with pytest.raises(NotFound):
        view_product(workplace, "PT-14")


def test_saving_without_a_change_leaves_no_trace(workplace, owner):
    create_product(workplace, owner, pot("PT-14"))
    change_product(workplace, owner, "PT-14", pot("PT-14"))
    with workplace.database.reading() as session:
        assert len(history(session, "product", find_product(session, "PT-14").id)) == 1


def test_a_product_in_use_stays_out_of_the_archive(workplace, owner, world):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    add_pot(workplace, owner, "PT-18")
    list_everywhere(workplace, owner, "PT-14")
    verdicts = archive_products(workplace, owner, ["PT-14", "PT-18", "NONE"], archived=True)
    assert [(v.ok, v.code) for v in verdicts] == [
        (False, "in-use"),
        (True, ""),
        (False, "not-found"),
    ]
    assert "listed on Hagglet, Own shop" in verdicts[0].message
    assert found(workplace) == ["PT-14"]
    assert found(workplace, archived=True) == ["PT-18"]
    archive_products(workplace, owner, ["PT-18"], archived=False)
    assert found(workplace) == ["PT-14", "PT-18"]


def test_many_products_at_once_get_a_verdict_each(workplace, owner):
    create_product(workplace, owner, pot("A"))
    items = [("A", pot("A", title="New title")), ("B", pot("B")), ("C", pot("C", gtin="1"))]
    assert [(v.subject, v.ok) for v in save_many(workplace, owner, items)] == [
        ("A", True),
        ("B", True),
        ("C", False),
    ]
    assert view_product(workplace, "A").draft.title == "New title"


@pytest.mark.parametrize(
    ("words", "skus"),
    [
        ("pot", ["A", "B"]),
        ("cél", ["A"]),
        ("CELADON", ["A"]),
        ("gla pot", ["A", "B"]),
        ("pot celadon", ["A"]),
        ("4006", ["A"]),
        ("old-77", ["B"]),
        ("b", ["B"]),
        ("nothing", []),
        ("***", ["A", "B"]),
        ('" OR 1', []),
    ],
)
def test_search_finds_by_sku_title_gtin_and_alias_with_prefixes_and_without_accents(
    workplace, owner, words, skus
):
    create_product(workplace, owner, pot("A", title="Pot with céladon glaze", gtin="4006381333931"))
    create_product(workplace, owner, pot("B", title="Pot with glaze", aliases=("OLD-77",)))
    assert found(workplace, words=words) == skus


def test_filters_narrow_down(workplace, owner, world):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "A")
    add_pot(workplace, owner, "B", units=0, category="Tools")
    list_everywhere(workplace, owner, "A")
    assert found(workplace, not_on="hagglet") == ["B"]
    assert found(workplace, on="ownshop") == ["A"]
    assert found(workplace, in_stock=True) == ["A"]
    assert found(workplace, in_stock=False) == ["B"]
    assert found(workplace, category="Tools") == ["B"]
    assert found(workplace, lacking=True) == []
    with workplace.database.reading() as session:
        assert count_products(session, ProductFilter()).number == 2


# pictures


def test_a_picture_is_kept_once_and_has_thumbnails(workplace, owner):
    create_product(workplace, owner, pot("A"))
    create_product(workplace, owner, pot("B"))
    names = {add_picture(workplace, owner, sku, png()) for sku in ("A", "A", "B")}
    assert len(names) == 1
    assert len(view_product(workplace, "A").pictures) == 1
    with workplace.database.reading() as session:
        assert len(session.scalars(select(Picture.sha)).all()) == 1
    with Image.open(workplace.files.path(thumbnail_file(names.pop(), 96))) as small:
        assert (small.format, small.size) == ("WEBP", (96, 96))


def test_kept_pictures_are_put_on_all_of_their_products_or_on_none(workplace, owner):
    for sku in ("A", "B"):
        create_product(workplace, owner, pot(sku))
    kept = keep_picture(workplace.files, png(), most_mb=1)
    with pytest.raises(NotFound):
        add_kept_pictures(workplace, owner, [("A", kept), ("NONE", kept)])
    assert view_product(workplace, "A").pictures == []
    add_kept_pictures(workplace, owner, [("A", kept), ("B", kept), ("A", kept)])
    for sku in ("A", "B"):
        assert [picture.sha for picture in view_product(workplace, sku).pictures] == [kept.sha]
    assert_sound(workplace)


def test_the_order_of_pictures_can_be_changed(workplace, owner):
    create_product(workplace, owner, pot("A"))
    first, second = (add_picture(workplace, owner, "A", png(colour)) for colour in ("red", "blue"))
    put_picture_first(workplace, owner, "A", second)
    assert [picture.sha for picture in view_product(workplace, "A").pictures] == [second, first]
    remove_picture(workplace, owner, "A", second)
    assert [picture.sha for picture in view_product(workplace, "A").pictures] == [first]
    with pytest.raises(NotFound):
        remove_picture(workplace, owner, "A", second)


def gif():
    out = io.BytesIO()
    Image.new("P", (50, 50)).save(out, "GIF")
    return out.getvalue()


@pytest.mark.parametrize(
    ("content", "code"),
    [
        (b"this is a text file called .png", "no-picture"),
        (b"", "no-picture"),
        (gif(), "no-picture"),
        (png()[:60], "no-picture"),
        (b"<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>", "no-picture"),
        (png() + b"\0" * 10_000_001, "too-large"),
        (png(side=7000), "too-large"),
    ],
    ids=["text", "empty", "gif", "cut off", "svg", "30 MB", "too many pixels"],
)
def test_what_is_no_picture_of_ours_is_refused_and_nothing_is_kept(workplace, owner, content, code):
    create_product(workplace, owner, pot("A"))
    with pytest.raises(Refused) as refused:
        add_picture(workplace, owner, "A", content)
    assert (refused.value.first.code, refused.value.first.field) == (code, "picture")
    assert view_product(workplace, "A").pictures == []


def test_a_picture_that_is_cut_off_is_refused_after_something_was_printed_too(workplace, owner):
    assert layout_pdf([("<p>printed</p>", PaperSize.A4)]).startswith(b"%PDF")
    create_product(workplace, owner, pot("A"))
    with pytest.raises(Refused) as refused:
        add_picture(workplace, owner, "A", png()[:60])
    assert refused.value.first.code == "no-picture"


# stock


def test_stock_moves_by_the_ledger_and_the_same_request_moves_once(workplace, owner):
    create_product(workplace, owner, pot("A"))
    wish = MoveStock("A", "millrace", "receipt", change=5, bin="b-01", request_key="k1")
    assert move_stock(workplace, owner, wish) == move_stock(workplace, owner, wish)
    with workplace.database.reading() as session:
        assert len(session.scalars(select(Movement)).all()) == 1
    assert receive(workplace, owner, "A", 1).bin == "B-01"  # the usual bin from now on
    set_safety(workplace, owner, "A", "millrace", 2)
    shown = availability(workplace, "A")
    assert (shown.free, [step.detail for step in shown.why.steps]) == (
        4,
        ["6 on hand - 2 safety", ""],
    )
    assert_sound(workplace)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"sku": "NONE"}, ""),
        ({"warehouse": "moon"}, ""),
        ({"bin": "Z-99"}, "bin"),
        ({"reason": "magic"}, "reason"),
        ({"reason": "dispatch"}, "reason"),
        ({"change": 0}, "change"),
        ({"change": None}, "change"),
        ({"counted": 4}, "change"),
        ({"note": "x" * 201}, "note"),
    ],
)
def test_a_movement_with_a_fault_is_refused_and_nothing_moves(workplace, owner, change, field):
    create_product(workplace, owner, pot("A"))
    wish = MoveStock("A", "millrace", "receipt", change=5)
    with pytest.raises(Refused) as refused:
        move_stock(workplace, owner, replace(wish, **change))
    assert refused.value.first.field == field
    with workplace.database.reading() as session:
        assert session.scalars(select(Movement)).all() == []


def test_a_count_of_one_bin_leaves_the_others_alone(workplace, owner):
    create_product(workplace, owner, pot("A"))
    receive(workplace, owner, "A", 5, bin="A-01")
    receive(workplace, owner, "A", 5, bin="A-02")
    assert count(workplace, owner, "A", 1, bin="A-02").on_hand == 6


def test_prices_explain_themselves(workplace, owner, world):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "A", floor=1800)
    price = explain_price(workplace, "A", "hagglet")
    assert (price.money.amount, price.floored) == (1800, True)
    assert [step.label for step in price.why.steps] == ["Retail", "Floor", "Price"]
    assert explain_price(workplace, "A").money.amount == 1690
    set_list_price(workplace, owner, "A", "retail", None)
    with pytest.raises(NotFound):
        explain_price(workplace, "A", "hagglet")


# channels


# people


# check and backup
