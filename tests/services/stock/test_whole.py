"""What is free of many products at once, by warehouse, comes out as product by product."""

from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.kits import PartStock
from relvan.core.stock.availability import StockBalance
from relvan.services.stock.whole import free_by_product
from relvan.store.holdings import Holdings

NAMES = {1: "Millrace", 2: "Yard", 3: "Depot"}
PRODUCTS, KITS = range(1, 7), range(11, 15)
BALANCE = st.builds(
    StockBalance, st.just("w"), st.integers(0, 30), st.integers(0, 9), st.integers(0, 4)
)


@st.composite
def holdings(draw):
    """Returns some products with stock in some warehouses, and kits of them; a part may lie
    nowhere."""
    balances = draw(
        st.dictionaries(
            st.sampled_from(PRODUCTS), st.dictionaries(st.sampled_from(list(NAMES)), BALANCE)
        )
    )
    units = st.dictionaries(st.sampled_from(PRODUCTS), st.integers(1, 4), max_size=4)
    leaves = draw(st.dictionaries(st.sampled_from(KITS), units))
    kits = {
        kit: [PartStock(str(part), n, balances.get(part, {})) for part, n in held.items()]
        for kit, held in leaves.items()
    }
    apart = {kit: draw(st.booleans()) for kit in leaves}
    return Holdings(NAMES, balances, kits, apart, leaves)


@given(holdings(), st.lists(st.sampled_from(list(NAMES)), unique=True))
def test_what_is_free_of_many_is_the_sum_over_the_warehouses_of_each(held, supply_list):
    found = free_by_product(held, supply_list)
    for product_id in (*PRODUCTS, *KITS):
        assert found.get(product_id, 0) == sum(
            one.free for one in held.of(product_id, supply_list)
        ), product_id
