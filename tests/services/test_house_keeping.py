"""Products, pictures, stock, channels, people, check, backup: what a person does there and what is refused."""

import io
from dataclasses import replace
from types import SimpleNamespace

import pytest
from PIL import Image
from sqlalchemy import select, text

from relvan.core.people.roles import Role
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.documents.pick_list import pick_list_pdf
from relvan.services.catalogue.pictures import add_picture, put_picture_first, remove_picture, thumbnail_file
from relvan.services.catalogue.read import view_product
from relvan.services.catalogue.save import archive_products, change_product, create_product, save_many
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.channels.settings import change_channel
from relvan.services.check import INVARIANTS, check
from relvan.services.people.repeated import Repeated, begin_call, end_call
from relvan.services.people.sign_in import add_person, find_token, find_visit, make_token, sign_in, sign_out
from relvan.services.prices.explain import explain_price
from relvan.services.prices.set import set_list_price
from relvan.services.stock.availability import availability
from relvan.services.stock.move import MoveStock, move_stock, set_safety
from relvan.services.workplace import SYSTEM, Actor
from relvan.store.catalogue import find_product
from relvan.store.history import history
from relvan.store.product_list import ProductFilter, count_products, product_page
from relvan.store.tables import Channel, Movement, Picture
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
    change_product(workplace, owner, "PT-14", replace(pot("PT-14b"), weight_g=800, prices={"retail": 2000}))
    with workplace.database.reading() as session:
        product = find_product(session, "PT-14B")
        newest = history(session, "product", product.id)[0]
    assert (newest.who, newest.deed) == ("Owner", "changed")
    assert newest.changes == {"sku": ["PT-14", "PT-14b"], "title": ["Pot PT-14", "Pot PT-14b"],
                              "weight_g": [700, 800], "price retail": [1690, 2000]}  # fmt: skip
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
    assert [(v.ok, v.code) for v in verdicts] == [(False, "in-use"), (True, ""), (False, "not-found")]
    assert "listed on Hagglet, Own shop" in verdicts[0].message
    assert found(workplace) == ["PT-14"]
    assert found(workplace, archived=True) == ["PT-18"]
    archive_products(workplace, owner, ["PT-18"], archived=False)
    assert found(workplace) == ["PT-14", "PT-18"]


def test_many_products_at_once_get_a_verdict_each(workplace, owner):
    create_product(workplace, owner, pot("A"))
    items = [("A", pot("A", title="New title")), ("B", pot("B")), ("C", pot("C", gtin="1"))]
    assert [(v.subject, v.ok) for v in save_many(workplace, owner, items)] == [("A", True), ("B", True), ("C", False)]
    assert view_product(workplace, "A").draft.title == "New title"


@pytest.mark.parametrize(
    ("words", "skus"),
    [
        ("pot", ["A", "B"]), ("cél", ["A"]), ("CELADON", ["A"]), ("gla pot", ["A", "B"]), ("pot celadon", ["A"]),
        ("4006", ["A"]), ("old-77", ["B"]), ("b", ["B"]), ("nothing", []), ("***", ["A", "B"]), ('" OR 1', []),
    ],
)  # fmt: skip
def test_search_finds_by_sku_title_gtin_and_alias_with_prefixes_and_without_accents(workplace, owner, words, skus):
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
    walk = SimpleNamespace(number="W-1", warehouse="Millrace", who="Owner")
    assert pick_list_pdf(SimpleNamespace(pick_list=walk, picks=[], created="2 November 2026")).startswith(b"%PDF")
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
    assert (shown.free, [step.detail for step in shown.why.steps]) == (4, ["6 on hand - 2 safety", ""])
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


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"rulebook": "bazaar"}, ""),
        ({"address": "ftp://example.com"}, "address"),
        ({"address": "not an address"}, "address"),
        ({"address": "http://user:pw@127.0.0.1/x"}, "address"),
        ({"address": "http://127.0.0.1:9/none"}, "address"),
        ({"token": ""}, "token"),
        ({"token": "wrong"}, "address"),
    ],
)
def test_a_channel_that_does_not_answer_is_not_connected(workplace, owner, world, change, field):
    wish = ConnectChannel("hagglet", world.seller_api("hagglet"), world.token("hagglet"))
    with pytest.raises(Refused) as refused:
        connect_channel(workplace, owner, replace(wish, **change))
    assert refused.value.first.field == field
    with workplace.database.reading() as session:
        assert session.scalars(select(Channel)).all() == []


def test_private_addresses_are_called_only_where_a_setting_allows_it(workplace, owner, world):
    workplace.settings.private_addresses = False
    for address in (world.seller_api("hagglet"), "http://localhost:8101/x", "http://169.254.169.254/latest"):
        with pytest.raises(Refused) as refused:
            connect_channel(workplace, owner, ConnectChannel("hagglet", address, "token"))
        assert "private network" in refused.value.first.message


def test_secrets_lie_encrypted_in_the_database(workplace, owner, world):
    connect(workplace, owner, world)
    content = b"".join(path.read_bytes() for path in workplace.settings.data_dir.glob("relvan.db*"))
    assert world.token("hagglet").encode() not in content
    assert world.token("ostrel").encode() not in content


@pytest.mark.parametrize(
    "wish",
    [{"colour": "red"}, {"stock_policy": {"share": 500}}, {"price_steps": [{"kind": "x"}]}, {"price_list": "none"},
     {"supply_list": ["moon"]}, {"supply_list": ["yard", "yard"]}, {"supply_list": "yard"}],
)  # fmt: skip
def test_settings_that_cannot_be_are_refused_and_nothing_changes(workplace, owner, world, wish):
    connect(workplace, owner, world, "hagglet")
    with pytest.raises(Refused):
        change_channel(workplace, owner, "hagglet", {"paused": True, **wish})
    with workplace.database.reading() as session:
        assert not session.scalar(select(Channel.paused))


# people


def test_signing_in_opens_a_visit_and_signing_out_ends_it(workplace):
    visit = sign_in(workplace, " Owner ", "a good password", "1.2.3.4")
    assert find_visit(workplace, visit.cookie).actor.name == "Owner"
    assert find_visit(workplace, visit.cookie + "x") is None
    workplace.now.move(days=15)
    assert find_visit(workplace, visit.cookie) is None
    workplace.now.move(days=-15)
    sign_out(workplace, visit.cookie)
    assert find_visit(workplace, visit.cookie) is None


def test_five_wrong_guesses_close_the_door_for_a_quarter_of_an_hour(workplace):
    for _ in range(5):
        with pytest.raises(Refused) as refused:
            sign_in(workplace, "owner", "wrong password", "1.2.3.4")
        assert refused.value.first.code == "sign-in"
    with pytest.raises(Refused) as refused:
        sign_in(workplace, "owner", "a good password", "5.6.7.8")
    assert refused.value.first.code == "too-many-guesses"
    workplace.now.move(minutes=16)
    assert sign_in(workplace, "owner", "a good password", "1.2.3.4").cookie


def test_an_unknown_name_is_refused_in_the_same_words(workplace):
    messages = set()
    for login in ("owner", "nobody"):
        with pytest.raises(Refused) as refused:
            sign_in(workplace, login, "wrong password", "9.9.9.9")
        messages.add(refused.value.first.message)
    assert len(messages) == 1


def test_passwords_and_tokens_are_not_kept_readable(workplace):
    token = make_token(workplace, "test", "owner")
    visit = sign_in(workplace, "owner", "a good password", "1.2.3.4")
    assert find_token(workplace, token)[1].name == "Owner"
    assert find_token(workplace, "x" + token) is None
    content = b"".join(path.read_bytes() for path in workplace.settings.data_dir.glob("relvan.db*"))
    assert all(secret.encode() not in content for secret in (token, visit.cookie, "a good password"))


@pytest.mark.parametrize(
    ("login", "password", "field"),
    [("owner", "a good password", "login"), ("new", "short", "password"), ("a b", "a good password", "login")],
)
def test_people_are_added_once_with_a_good_password(workplace, login, password, field):
    with pytest.raises(Refused) as refused:
        add_person(workplace, SYSTEM, login, "Name", Role.OWNER, password)
    assert refused.value.first.field == field


def test_a_role_may_not_do_what_is_not_its_own(workplace):
    lister = Actor(3, "Lister", Role.CATALOGUE, "hand")
    with pytest.raises(NotAllowed):
        receive(workplace, lister, "A", 1)
    with pytest.raises(NotAllowed):
        connect_channel(workplace, lister, ConnectChannel("hagglet", "http://x", "t"))
    with pytest.raises(NotAllowed):
        create_product(workplace, Actor(2, "Picker", Role.WAREHOUSE, "hand"), pot("A"))


def test_a_call_with_a_key_is_answered_the_same_again(workplace):
    make_token(workplace, "test", "owner")
    assert begin_call(workplace, 1, "k", "abc") is None
    with pytest.raises(Refused) as refused:
        begin_call(workplace, 1, "k", "abc")
    assert refused.value.first.code == "still-running"
    end_call(workplace, 1, "k", 201, "{}")
    assert begin_call(workplace, 1, "k", "abc") == Repeated(201, "{}")
    with pytest.raises(Refused) as refused:
        begin_call(workplace, 1, "k", "other")
    assert refused.value.first.code == "idempotency-key"
    workplace.now.move(days=2)
    assert begin_call(workplace, 1, "k", "other") is None


# check and backup


@pytest.mark.parametrize(
    ("damage", "invariant"),
    [
        ("UPDATE balance SET on_hand = on_hand + 1", "what is on hand and blocked is the sum"),
        ("UPDATE balance SET reserved = 3", "what is reserved is the sum"),
        ("UPDATE bin_balance SET on_hand = 0", "what lies in bins is the sum"),
        ("DELETE FROM movement", "no balance is without a ledger"),
        ("DELETE FROM sku_name", "every SKU leads to its product"),
        ("DELETE FROM product_search", "every product can be found"),
        ("UPDATE listing SET quantity = 99", "a listing whose quantity or price"),
        ("UPDATE order_line SET shipped = 1, picked = 1", "what an order line says was shipped"),
        ("UPDATE reservation SET quantity = 50", "no line is promised more"),
        ("UPDATE customer_order SET cancelled_at = placed_at", "a cancelled order holds no stock"),
    ],
)
def test_check_finds_what_must_not_be(workplace, owner, world, damage, invariant):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    world.buy("hagglet", "PT-14")
    from tests.house import deliver, read

    read(workplace)
    deliver(workplace)
    assert check(workplace.database) == []
    with workplace.database.writing() as session:
        session.execute(text(damage))
    assert any(breach.invariant.startswith(invariant) for breach in check(workplace.database))


def test_every_invariant_runs_on_an_empty_database(workplace):
    assert check(workplace.database) == []
    assert len(INVARIANTS) >= 12
