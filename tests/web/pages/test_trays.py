"""Tests the pages of the order desk: trays, the board, rules, and deeds that need to be told more."""

from lxml import html

from relvan.store.trays import rules_of
from tests.house import orders
from tests.steps.orders import one, take
from tests.visitor import post, undo


def shown(answer, selector="body"):
    page = html.fromstring(answer.text)
    return " ".join(" ".join(part.text_content() for part in page.cssselect(selector)).split())


def test_a_tray_is_created_renamed_and_deleted_with_a_place_for_its_orders(desk, web, owner):
    made = post(web, "/orders/trays", name="Ask", hue="rose", remind_days="3", words="A question.")
    assert "Ask is created." in made.text
    number = take(desk, owner, ("PT-14", 1))
    post(web, "/orders/do/move", pick=number, tray="ask", back="/orders")
    page = web.get("/orders/trays?tray=ask")
    assert "1 order lies there." in shown(page)
    post(web, "/orders/trays/ask", name="Ask them", hue="moss", remind_days="0", words="")
    assert "Ask them" in shown(web.get(f"/orders/{number}"), ".head")
    gone = post(web, "/orders/trays/ask/delete", to="inbox")
    assert "1 order was moved." in gone.text
    assert one(desk, number).tray == "inbox"


def test_a_tray_that_repeats_progress_is_met_with_the_filter_that_does_it(desk, web):
    met = post(web, "/orders/trays", name="Shipped, not invoiced", hue="slate", words="")
    assert met.status_code == 422
    link = html.fromstring(met.text).cssselect(".notice a")[0].get("href")
    assert link.endswith("/orders?shipped=all&invoiced=open")
    assert "shipped in full" in shown(web.get(link), ".sentence")
    anyway = post(
        web, "/orders/trays", name="Shipped, not invoiced", hue="slate", words="", anyway="yes"
    )
    assert "is created." in anyway.text


def test_what_cannot_be_read_is_refused_and_what_was_typed_stays(desk, web):
    wrong = post(web, "/orders/trays", name="Ask", hue="rose", remind_days="soon", words="")
    assert "must be a whole number" in wrong.text
    assert html.fromstring(wrong.text).cssselect("[name=name]")[0].get("value") == "Ask"


def test_the_order_of_trays_is_the_order_of_the_desk(desk, web):
    keys = ["short", "inbox", "floor", "closed", "cancelled"]
    post(web, "/orders/trays/order", tray=keys)
    tally = shown(web.get("/orders"), ".tally")
    assert tally.index("Short of stock") < tally.index("Inbox")


def test_several_values_of_a_chip_are_crossed_with_those_of_others(desk, web, owner):
    whole, short = take(desk, owner, ("PT-14", 1)), take(desk, owner, ("PT-18", 9))
    both = web.get("/orders?tray=inbox,short&paid=part,all")
    assert {whole, short} <= set(shown(both, "td.sku").split())
    assert "in Inbox or in Short of stock" in shown(both, ".sentence")
    assert shown(web.get("/orders?tray=inbox,short&reserved=none"), "td.sku") == short
    page = html.fromstring(both.text)
    chosen = [link.get("href") for link in page.cssselect(".dropdown-item.active")]
    assert "/orders?tray=short&paid=part%2Call" in chosen  # a second click leaves Inbox out


def test_deeds_that_need_to_be_told_more_ask_for_it_and_can_be_undone(desk, web, owner):
    numbers = [take(desk, owner, ("PT-14", 1)) for _ in range(2)]
    asked = post(web, "/orders/foresee/set-aside", pick=numbers)
    names = {field.get("name") for field in html.fromstring(asked.text).cssselect("input")}
    assert {"reason", "until"} <= names
    told = {"pick": numbers, "reason": "waits", "back": "/orders"}
    assert post(web, "/orders/do/set-aside", **told).status_code == 422
    done = post(web, "/orders/do/set-aside", until="2026-11-20", **told)
    assert "Set aside: 2." in done.text
    assert "set aside until Fri 20 Nov" in shown(done)
    undo(web, done)
    assert [row.aside_until for row in orders(desk)] == [None, None]
    tagged = post(web, "/orders/do/tag", pick=numbers[0], tag="Gift", back="/orders")
    assert "gift" in shown(tagged, ".tag")
    undo(web, tagged)
    assert orders(desk, tag="gift") == []
    assigned = post(web, "/orders/do/assign", pick=numbers, login="owner", back="/orders")
    assert "Assigned: 2." in assigned.text
    undo(web, assigned)
    assert [row.assigned for row in orders(desk)] == [None, None]


def test_a_move_is_undone_to_where_the_orders_were(desk, web, owner):
    number = take(desk, owner, ("PT-14", 1))
    moved = post(web, "/orders/do/move", pick=number, tray="short", back="/orders")
    assert "Moved to Short of stock: 1." in moved.text
    undo(web, moved)
    assert one(desk, number).tray == "inbox"


def test_the_board_has_a_column_for_every_tray_with_what_is_stuck_there(desk, web, owner):
    take(desk, owner, ("PT-14", 1))
    take(desk, owner, ("PT-18", 9))
    page = html.fromstring(web.get("/orders/board").text)
    columns = {
        column.get("aria-label"): [card.get("data-order") for card in column.cssselect("li")]
        for column in page.cssselect(".board-tray")
    }
    assert columns == {
        "Inbox": ["O-1001"],
        "In the warehouse": [],
        "Short of stock": ["O-1002"],
        "Closed": [],
    }
    post(web, "/orders/do/move", pick="O-1002", tray="closed", back="/orders/board")
    page = html.fromstring(web.get("/orders/board").text)
    (closed,) = page.cssselect(".board-tray[aria-label=Closed]")
    assert [card.get("data-order") for card in closed.cssselect("li")] == ["O-1002"]


def test_a_kept_view_says_how_many_orders_and_how_much_money(desk, web, owner):
    take(desk, owner, ("PT-14", 1))
    take(desk, owner, ("PT-14", 2))
    take(desk, owner, ("PT-18", 9))
    view = {"name": "To do", "path": "/orders", "query": "tray=inbox"}
    assert post(web, "/views/orders", **view).status_code == 200
    page = html.fromstring(web.get("/orders").text)
    (shown,) = page.cssselect(".views > a")
    assert shown.text_content().split() == ["To", "do", "2", "€50.70"]


RULE = {
    "name": "Off it goes",
    "when": "taken",
    "days": "",
    "at_least": "10",
    "deed-0": "tag",
    "value-0": "Dear",
    "deed-1": "move",
    "to-1": "short",
    "active": "yes",
}


def test_a_rule_is_written_tried_saved_and_deleted(desk, web, owner):
    number = take(desk, owner, ("PT-14", 1))
    tried = post(web, "/orders/rules", **{**RULE, "try": "yes"})
    assert number in shown(tried, "#tried")
    with desk.database.reading() as session:
        assert rules_of(session) == []
    saved = post(web, "/orders/rules", **RULE)
    words = "if it is worth €10.00 or more: tag it dear and move it to Short of stock."
    assert words in shown(saved, ".order-list")
    assert "would be for 1" in shown(post(web, "/orders/rules/try"), "#tried")
    assert one(desk, take(desk, owner, ("PT-14", 1))).tray == "short"
    form = html.fromstring(web.get("/orders/rules?rule=1").text)
    assert form.cssselect("[name=at_least]")[0].get("value") == "10.00"
    assert "is deleted." in post(web, "/orders/rules/1/delete").text


def test_a_circle_of_rules_is_refused_on_the_page_by_their_names(desk, web):
    there = {"name": "There", "when": "waited", "days": "1", "active": "yes", "deed-0": "move"}
    post(web, "/orders/rules", **there, tray="inbox", **{"to-0": "short"})
    back = {**there, "name": "Back"}
    refused = post(web, "/orders/rules", **back, tray="short", **{"to-0": "inbox"})
    assert refused.status_code == 422
    assert "“There” → “Back” → “There”" in refused.text


def test_what_was_noted_of_an_order_is_seen_on_its_page_and_then_gone(desk, web, owner):
    post(web, "/orders/rules", **{**RULE, "deed-0": "notify", "value-0": "Call them"})
    number = take(desk, owner, ("PT-14", 1))
    assert "Call them" in shown(web.get(f"/orders/{number}"), ".notice")
    assert "Call them" not in shown(post(web, f"/orders/{number}/seen"))
