"""Steps of tests that move in: worlds with a known truth, and what was made of them."""

from itertools import combinations

from relvan.services.bulk.work import work_next
from relvan.services.move_in.open import start_move
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.store.findings import FindingFilter, finding_page
from standins.made_worlds import Habits, make_world
from tests.house import connect

SMALL = Habits(listings=90)
WORDS = Habits(listings=240, other_sku=0.5, no_gtin=0.3)


def load_made(world, seed, habits=SMALL):
    """Loads a made-up world into its channels; returns it with its truth."""
    made = make_world(seed, habits)
    for channel, listings in made.listings.items():
        answer = world.client.put(f"/world/{channel}/listings", json={"listings": listings})
        assert answer.status_code == 200, answer.text
    return made


def connect_made(workplace, owner, world, *keys):
    """Connects the channels of a made-up world, with a list in the currency of each."""
    add_price_list(workplace, owner, NewPriceList("francs", "Francs", "CHF", True))
    connect(workplace, owner, world, *(keys or ("hagglet", "loomstead", "corvello")))


def work_all(workplace):
    while work_next(workplace):
        pass


def move_in_all(workplace, owner, channels=(), **wishes):
    """Opens a move and lets the worker propose."""
    job_id = start_move(workplace, owner, channels, wishes)
    work_all(workplace)
    return job_id


def found_rows(workplace, *, linked):
    with workplace.database.reading() as session:
        return finding_page(session, FindingFilter(linked=linked), limit=100_000)


def links_made(workplace, made):
    """Returns (links that were made, those of them that are right) between listings on two channels
    that were linked to one product; families' pages are left out."""
    products = {}
    for row in found_rows(workplace, linked=True):
        if (row.channel_key, row.sku) in made.truth:
            products.setdefault(row.product_sku, []).append((row.channel_key, row.sku))
    pairs = [
        (one, other)
        for members in products.values()
        for one, other in combinations(members, 2)
        if one[0] != other[0]
    ]
    return len(pairs), sum(made.truth[one] == made.truth[other] for one, other in pairs)
