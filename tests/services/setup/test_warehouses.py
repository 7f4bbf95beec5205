"""Warehouses and bins: added, changed, renamed, merged, closed and removed."""

import pytest

from relvan.core.refusal import NotAllowed, Refused
from relvan.core.setup.bins import written_out
from relvan.services.orders.release import release_orders
from relvan.services.picking.lists import make_pick_list
from relvan.services.setup.bins import (
    add_bins,
    close_bin,
    foresee_bins,
    merge_bins,
    rename_bin,
)
from relvan.services.setup.warehouses import (
    add_warehouse,
    change_warehouse,
    foresee_removal,
    remove_warehouse,
    warehouse_facts,
)
from relvan.services.stock.move import MoveStock, move_stock, set_safety
from relvan.services.workplace import SYSTEM
from relvan.store.orders import shipment_rows
from relvan.store.setup import bin_lines, warehouse_lines
from relvan.store.stock import warehouse_by_key
from tests.house import add_pot, assert_sound, deliver, stock_of_sku
from tests.steps.orders import take


def bins(workplace, warehouse):
    with workplace.database.reading() as session:
        return bin_lines(session, warehouse_by_key(session, warehouse).id)


def held(workplace, warehouse="millrace"):
    return {one.code: one.units for one in bins(workplace, warehouse) if one.units}


def refusal(call, *arguments):
    with pytest.raises(Refused) as refused:
        call(*arguments)
    return refused.value.first.code


def test_a_warehouse_takes_goods_at_once(bare):
    key = add_warehouse(bare, SYSTEM, {"name": "North Hall"})
    assert key == "north-hall"
    add_pot(bare, SYSTEM, "PT-14", warehouse=key, units=4, prices={})
    assert held(bare, key) == {"FLOOR": 4}
    assert refusal(add_warehouse, bare, SYSTEM, {"name": "North Hall"}) == "exists"
    assert refusal(add_warehouse, bare, SYSTEM, {"name": " "}) == "missing"


def test_what_a_wish_does_not_name_of_a_warehouse_stays(workplace, owner, picker):
    wish = {"pick_up": {"days": [0, 2], "cut_off": "15:30"}, "address": {"town": "Tarnhollow"}}
    change_warehouse(workplace, owner, "yard", wish)
    facts = change_warehouse(workplace, owner, "yard", {"name": "The Yard"})
    assert (facts.name, facts.address.town) == ("The Yard", "Tarnhollow")
    assert facts.pick_up.words == "Mon, Wed until 15:30"
    with workplace.database.reading() as session:
        assert warehouse_facts(warehouse_by_key(session, "yard")) == facts
    with pytest.raises(NotAllowed):
        change_warehouse(workplace, picker, "yard", {"name": "Mine"})
    assert refusal(change_warehouse, workplace, owner, "yard", {"kind": "moon"}) == "not-allowed"


def test_480_bins_come_of_a_pattern_and_are_walked_in_order(bare, count_queries):
    key = add_warehouse(bare, SYSTEM, {"name": "Hall"})
    codes = written_out("{aisle:A-L}-{bay:01-40}")
    assert len(foresee_bins(bare, key, codes).new) == 480
    with count_queries(bare.database) as queries:
        added = add_bins(bare, SYSTEM, key, codes)
    assert (len(added.new), added.there) == (480, ())
    assert len(queries) < 20
    again = add_bins(bare, SYSTEM, key, [*codes[:2], "A-00"])
    assert (again.new, again.there) == (("A-00",), ("A-01", "A-02"))
    walked = [one.code for one in bins(bare, key)]
    assert walked[:3] == ["A-00", "A-01", "A-02"]
    assert len(walked) == 482
    assert walked == sorted(walked)


def test_all_that_lies_in_a_bin_moves_with_it_and_the_sum_stays(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=0)
    for shelf, units in (("A-01", 3), ("A-02", 5)):
        move_stock(
            workplace, owner, MoveStock("PT-14", "millrace", "receipt", change=units, bin=shelf)
        )
    move_stock(workplace, owner, MoveStock("PT-14", "millrace", "block", change=1, bin="A-01"))
    assert merge_bins(workplace, owner, "millrace", "A-01", "B-01") == 3
    assert held(workplace) == {"A-02": 5, "B-01": 3}
    with workplace.database.reading() as session:
        (row,) = [one for one in stock_of_sku(session, "PT-14") if one.warehouse_key == "millrace"]
    assert (row.on_hand, row.blocked) == (8, 1)
    assert refusal(
        move_stock,
        workplace,
        owner,
        MoveStock("PT-14", "millrace", "receipt", change=1, bin="A-01"),
    ) == ("closed")
    assert refusal(merge_bins, workplace, owner, "millrace", "A-02", "A-01") == "closed"
    assert refusal(merge_bins, workplace, owner, "millrace", "A-02", "A-02") == "same"
    assert add_bins(workplace, owner, "millrace", ["A-01"]).reopened == ("A-01",)
    assert_sound(workplace)


def test_a_bin_is_closed_only_when_it_is_empty_and_not_the_last(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=2)
    full = next(iter(held(workplace)))
    assert refusal(close_bin, workplace, owner, "millrace", full) == "not-empty"
    close_bin(workplace, owner, "yard", "Y-01")
    assert refusal(close_bin, workplace, owner, "yard", "Y-02") == "last"


def test_a_bin_to_which_a_pick_list_leads_is_left_alone(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=2)
    release_orders(workplace, owner, [take(workplace, owner, ("PT-14", 1))])
    with workplace.database.reading() as session:
        shipments = [row.id for row in shipment_rows(session, states=["to pick"])]
    make_pick_list(workplace, owner, shipments)
    full = next(iter(held(workplace)))
    assert refusal(merge_bins, workplace, owner, "millrace", full, "B-01") == "in-use"
    assert refusal(close_bin, workplace, owner, "millrace", full) == "in-use"


def test_a_renamed_bin_keeps_what_lies_in_it(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=2)
    full = next(iter(held(workplace)))
    rename_bin(workplace, owner, "millrace", full, "z-9")
    assert held(workplace) == {"Z-9": 2}
    assert [one.code for one in bins(workplace, "millrace")][-1] == "Z-9"
    assert refusal(rename_bin, workplace, owner, "millrace", "Z-9", "B-01") == "exists"
    assert refusal(rename_bin, workplace, owner, "millrace", "Z-9", "what?") == "form"


def test_a_warehouse_that_was_never_used_is_removed_and_no_other(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=2)
    assert foresee_removal(workplace, "millrace").movements == 1
    assert refusal(remove_warehouse, workplace, owner, "millrace") == "in-use"
    remove_warehouse(workplace, owner, "yard")
    with workplace.database.reading() as session:
        assert [line.warehouse.key for line in warehouse_lines(session)] == ["millrace"]


def safeties(workplace, *skus):
    """Returns the units of products that are kept back in the yard."""
    with workplace.database.reading() as session:
        rows = {sku: stock_of_sku(session, sku) for sku in skus}
    return [row.safety for found in rows.values() for row in found if row.warehouse_key == "yard"]


def test_safety_stock_of_a_warehouse_goes_for_its_products_but_those_with_their_own(
    two_pots, owner, world
):
    shop = two_pots
    for sku in ("PT-14", "PT-18"):
        move_stock(shop, owner, MoveStock(sku, "yard", "receipt", change=10))
    set_safety(shop, owner, "PT-18", "yard", 4)
    change_warehouse(shop, owner, "yard", {"safety": 2})
    pots = ("PT-14", "PT-18")
    assert safeties(shop, *pots) == [2, 4]
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["quantity"] == 18  # 10 and 10, less 2
    add_pot(shop, owner, "PT-20", warehouse="yard")
    assert safeties(shop, "PT-20") == [2]  # one that is new there has it from the start
    change_warehouse(shop, owner, "yard", {"safety": 0})
    assert safeties(shop, *pots, "PT-20") == [0, 4, 0]
    for wrong in (-1, 10**12):
        assert refusal(change_warehouse, shop, owner, "yard", {"safety": wrong}) == "range"
    assert_sound(shop)
