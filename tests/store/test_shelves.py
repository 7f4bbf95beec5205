"""The bins that are read for goods lead to the same proposal as all bins of the warehouse would."""

import random

import pytest

from relvan.core.stock.putting_away import PutAwayBin, put_away
from relvan.services.setup.bins import add_bins
from relvan.store.shelves import shelves_for
from relvan.store.stock import warehouse_by_key
from relvan.store.tables import Bin, BinBalance, Product
from tests.house import add_pot

OWN, OTHER = "PT-14", "PT-18"


def shelved(session, chance):
    """Fills the bins of a warehouse by chance; returns all of them as goods are put into them."""
    own, other = (session.query(Product).filter_by(sku=sku).one().id for sku in (OWN, OTHER))
    shelves = []
    for shelf in session.query(Bin).filter(Bin.code.like("S-%")):
        shelf.walk = chance.randint(1, 9)
        shelf.purpose = chance.choice(["pick", "pick", "reserve"])
        shelf.capacity = chance.choice([None, 4, 12, 30])
        shelf.closed = chance.random() < 0.1
        lies = {
            product: chance.choice([0, 0, 3, 9]) if chance.random() < busy(chance) else 0
            for product in (own, other)
        }
        for product, units in lies.items():
            session.add(BinBalance(bin_id=shelf.id, product_id=product, on_hand=units))
        if not shelf.closed:
            reserve, everything = shelf.purpose == "reserve", sum(lies.values())
            shelves.append(
                PutAwayBin(shelf.code, shelf.walk, reserve, shelf.capacity, lies[own], everything)
            )
    for shelf in session.query(Bin).filter(~Bin.code.like("S-%")):
        shelf.closed = True
    session.flush()
    return own, shelves


def busy(chance):
    return chance.choice([0.3, 0.9])


@pytest.fixture
def place(workplace, owner):
    for sku in (OWN, OTHER):
        add_pot(workplace, owner, sku, units=0)
    add_bins(workplace, owner, "millrace", [f"S-{n:02d}" for n in range(1, 13)])
    return workplace


def test_the_proposal_is_that_of_the_whole_warehouse(place):
    for seed in range(40):
        with place.database.writing() as session:
            product, shelves = shelved(session, random.Random(seed))
            warehouse = warehouse_by_key(session, "millrace").id
            for units in (1, 7, 25, 90):
                read = shelves_for(session, product, warehouse, units)
                assert put_away(units, read) == put_away(units, shelves), f"seed {seed}"
            session.rollback()


def test_a_full_warehouse_still_names_the_nearest_bin(place):
    with place.database.writing() as session:
        product, shelves = shelved(session, random.Random(1))
        other = session.query(Product).filter_by(sku=OTHER).one().id
        session.query(BinBalance).filter(BinBalance.product_id == product).delete()
        session.query(BinBalance).filter(BinBalance.product_id == other).update({"on_hand": 5})
        warehouse = warehouse_by_key(session, "millrace").id
        read = shelves_for(session, product, warehouse, 3)
        open_picks = [one for one in shelves if not one.reserve]
        nearest = min(open_picks, key=lambda one: (one.walk, one.code))
        assert [one.code for one in put_away(3, read)] == [nearest.code]
        session.rollback()


def test_no_more_of_the_warehouse_is_read_than_the_goods_need(place):
    with place.database.writing() as session:
        product, _ = shelved(session, random.Random(2))
        session.query(BinBalance).delete()
        session.query(Bin).update({"capacity": None, "closed": False})
        warehouse = warehouse_by_key(session, "millrace").id
        assert len(shelves_for(session, product, warehouse, 500)) == 1
        session.rollback()
