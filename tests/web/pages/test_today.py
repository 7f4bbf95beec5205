"""The first page of the day, by role."""

from datetime import timedelta

from relvan.services.orders.aside import set_aside
from relvan.services.orders.release import release_orders
from relvan.services.setup.warehouses import change_warehouse
from tests.applications import client_of
from tests.house import orders, read
from tests.visitor import page, shown, sign_in, words


def agenda(client):
    return [shown(one) for one in page(client.get("/")).cssselect(".agenda li")]


def test_what_waits_says_how_many_how_much_and_until_when(shop, owner, web, world):
    pick_up = {"days": [0, 1, 2, 3, 4, 5, 6], "cut_off": "16:00"}
    change_warehouse(shop, owner, "millrace", {"pick_up": pick_up})
    (order,) = orders(shop)
    release_orders(shop, owner, [order.number])
    world.buy("hagglet", "PT-14", 9, placed_at=shop.now().isoformat())
    read(shop)
    told = agenda(web)
    assert told[0].startswith("1 shipment to pick the carrier calls until")
    (inbox,) = [line for line in told if "inbox" in line]
    assert "€" in inbox
    assert "the first came" in inbox
    said = words(web.get("/"))
    assert "1 order today" in said
    held = [shown(one) for one in page(web.get("/")).cssselect(".held dt")]
    assert held == ["In the warehouse", "Inbox"]
    assert page(web.get("/")).cssselect("svg.hours rect:not(.usual)")


def test_each_role_sees_its_own_matters_first(shop, owner, web):
    (order,) = orders(shop)
    release_orders(shop, owner, [order.number])
    picker = agenda(sign_in(client_of(shop), "picker"))
    lister = agenda(sign_in(client_of(shop), "lister"))
    assert "to pick" in picker[0]
    assert "to pick" in lister[-1]
    assert sorted(picker) == sorted(lister) == sorted(agenda(web))


def test_every_line_leads_to_what_it_counts(shop, web):
    for link in page(web.get("/")).cssselect(".agenda a"):
        assert web.get(link.get("href")).status_code == 200, link.get("href")


def test_what_is_set_aside_is_neither_counted_nor_shown(shop, owner, web, world):
    for _ in range(2):
        world.buy("hagglet", "PT-14", placed_at=shop.now().isoformat())
    read(shop)
    kept = [row.number for row in orders(shop) if row.tray == "inbox"]
    until = shop.local_now().date() + timedelta(days=3)
    set_aside(shop, owner, [kept.pop()], "waits for a glaze", until)
    start = page(web.get("/"))
    (link,) = [a for a in start.cssselect(".agenda a") if "inbox" in a.get("href")]
    (line,) = [shown(one) for one in start.cssselect(".agenda li") if "inbox" in shown(one)]
    (held,) = [shown(one) for one in start.cssselect(".held dd")]
    assert line.split()[0] == str(len(kept))
    assert f"in {len(kept)} order" in held
    found = page(web.get(link.get("href"))).cssselect("td.sku a")
    assert sorted(shown(one) for one in found) == sorted(kept)


def test_it_asks_a_handful_of_queries(shop, web, count_queries):
    web.get("/")
    with count_queries(shop.database) as counted:
        web.get("/")
    assert len(counted) <= 24
