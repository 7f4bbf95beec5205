"""Tests which listings are taken for the same goods: by code, by likeness, and not at all."""

from itertools import combinations

import pytest

from relvan.core.move_in.matching import ASK, JoinRules, match
from relvan.core.move_in.seen import SeenListing
from relvan.core.move_in.words import Weights, same_word, words_of
from standins.made_worlds import Habits, make_world

GTIN, OTHER = "4006381333931", "5901234123457"


def seen(one, channel, title="Aubrey pot, celadon, 14 cm", sku="", **more):
    return SeenListing(one, channel, f"ref-{one}", sku, title, **{"price": 1_990, **more})


def groups(*listings, **decided):
    return [sorted(group) for group in match(listings, JoinRules(**decided)).groups]


# a handful of other goods, so that words have a weight
CROWD = [
    seen(100 + at, channel, f"{line} {noun}, {glaze}, {size}", price=1_000 + 170 * at)
    for at, (channel, line, noun, glaze, size) in enumerate(
        (channel, line, noun, glaze, size)
        for channel in ("hagglet", "corvello")
        for line, noun in (("Bramble", "vase"), ("Calder", "saucer"), ("Denby", "jug"))
        for glaze, size in (("ochre", "9 cm"), ("slate", "18 cm"))
    )
]


@pytest.mark.parametrize(
    ("first", "second", "same"),
    [
        ({"sku": "P1"}, {"sku": "p1", "title": "Something else"}, True),
        ({"sku": "P1", "gtin": GTIN}, {"sku": "X9", "gtin": GTIN}, True),
        ({"gtin": GTIN}, {"gtin": f"0{GTIN}"}, True),  # the same number with a leading zero
        ({"sku": "P1", "gtin": GTIN}, {"sku": "P1", "gtin": OTHER}, True),  # a typing error there
        (
            {"sku": "P1", "gtin": GTIN, "title": "Aubrey pot, 14 cm"},
            {"sku": "P1", "gtin": OTHER, "title": "Denby jug, 2 l"},
            False,  # a SKU that stands for something else there
        ),
        ({}, {"title": "Celadon pot Aubrey 14cm"}, True),
        ({}, {"title": "Pots AUBREY, 140 mm celadon"}, True),
        ({}, {"title": "Aubrey pot, celadon, 18 cm"}, False),
        ({}, {"title": "Aubrey pot, ochre, 14 cm"}, False),
        ({}, {"title": "Denby jug, celadon, 14 cm"}, False),
        ({"gtin": GTIN}, {"gtin": OTHER}, False),
        ({"gtin": "123"}, {"gtin": "123", "title": "Denby jug"}, False),  # that is no GTIN
    ],
)
def test_two_listings_on_two_channels(first, second, same):
    found = groups(seen(1, "hagglet", **first), seen(2, "corvello", **second), *CROWD)
    assert ([1, 2] in found) == same


def test_the_same_goods_under_several_codes_are_one_group():
    found = groups(
        seen(1, "hagglet", sku="A", gtin=GTIN),
        seen(2, "corvello", sku="B", gtin=GTIN),
        seen(3, "ownshop", sku="B", title="A pot"),
        *CROWD,
    )
    assert [1, 2, 3] in found


def test_a_gtin_that_a_channel_has_for_several_things_joins_by_likeness_alone():
    found = groups(
        seen(1, "hagglet", "Aubrey pot, celadon, 14 cm", sku="A", gtin=GTIN),
        seen(2, "hagglet", "Aubrey pot, ochre, 14 cm", sku="B", gtin=GTIN),
        seen(3, "corvello", "Aubrey pot, ochre, 14 cm", sku="C", gtin=GTIN),
        *CROWD,
    )
    assert [2, 3] in found
    assert [1] in found


def test_what_is_less_sure_is_asked():
    first = seen(1, "hagglet", "Aubrey pot, celadon, 14 cm")
    second = seen(2, "corvello", "Aubrey pot, turned by hand, 14 cm")
    found = match([first, second, *CROWD])
    assert [1, 2] not in [sorted(group) for group in found.groups]
    (question,) = [one for one in found.questions if {one.first, one.second} == {1, 2}]
    assert question.percent >= ASK
    lower = groups(first, second, *CROWD, mark=question.percent)
    assert [1, 2] in lower


THORNBY, MILLGROVE = "Thornby", "Millgrove"
BRANDED = [
    seen(200 + at, channel, f"{line} stool", brand=brand, sku=f"S{number}")
    for number, (line, brand) in enumerate((("Ullin", THORNBY), ("Tarn", MILLGROVE)))
    for at, channel in ((number, "hagglet"), (10 + number, "corvello"))
]


@pytest.mark.parametrize(
    ("first", "second", "joined"),
    [
        ({"brand": THORNBY}, {"brand": THORNBY}, True),
        ({"brand": THORNBY}, {}, True),
        ({"brand": THORNBY}, {"brand": MILLGROVE}, False),
        ({"title": "Thornby Aubrey pot, celadon, 14 cm"}, {"brand": MILLGROVE}, False),
        ({"title": "Thornby Aubrey pot, celadon, 14 cm"}, {"brand": THORNBY}, True),
    ],
)
def test_goods_of_different_brands_are_not_joined_by_likeness_but_asked(first, second, joined):
    found = match([seen(1, "hagglet", **first), seen(2, "corvello", **second), *CROWD, *BRANDED])
    assert ([1, 2] in [sorted(group) for group in found.groups]) == joined
    asked = any({one.first, one.second} == {1, 2} for one in found.questions)
    assert asked == (not joined)


def test_a_brand_that_another_of_its_group_names_counts_too():
    named = seen(1, "hagglet", brand=THORNBY, sku="P1")
    nameless = seen(2, "corvello", sku="P1")
    other = seen(3, "ownshop", brand=MILLGROVE)
    assert [3] in groups(named, nameless, other, *CROWD, *BRANDED)


def test_where_one_channel_names_the_maker_and_another_the_seller_brands_tell_nothing():
    pairs = [
        seen(300 + at, channel, f"{line} stool", brand=brand, sku=f"T{line}")
        for at, (line, channel, brand) in enumerate(
            (line, channel, brand)
            for line in ("Kelso", "Lorne", "Nevis", "Orford")
            for channel, brand in (("hagglet", THORNBY), ("corvello", "Quillmoss"))
        )
    ]
    first, second = seen(1, "hagglet", brand=THORNBY), seen(2, "corvello", brand="Quillmoss")
    assert [1, 2] in groups(first, second, *CROWD, *pairs)


def test_what_a_person_decided_holds():
    one, other = seen(1, "hagglet", sku="P1"), seen(2, "corvello", sku="P1")
    assert [1, 2] in groups(one, other, *CROWD)
    assert [1] in groups(one, other, *CROWD, apart=frozenset({1}))
    assert [1] in groups(one, other, *CROWD, differ=frozenset({(1, 2)}))
    strange = seen(3, "ownshop", "Nothing like it", price=5)
    assert [1, 2, 3] in groups(one, other, strange, *CROWD, together=((1, 3),))


def test_a_listing_of_one_channel_is_joined_to_one_of_another_only():
    found = groups(
        seen(1, "hagglet", "Aubrey pot, celadon, 14 cm"),
        seen(2, "corvello", "Aubrey pot celadon 14 cm", sku="X"),
        seen(3, "corvello", "Aubrey pot, celadon 14 cm", sku="Y"),
        *CROWD,
    )
    assert not any({2, 3} <= set(group) for group in found)


@pytest.mark.parametrize(
    ("first", "second"),
    [
        ("Aubrey Pots, 14 cm", "aubrey pot 140mm"),
        ("Twine, 1.5 kg", "twine 1500 g"),
        ("Café 2 l", "cafe 2,0 l"),
        ("the pot for the house", "Pot House"),
    ],
)
def test_titles_that_say_the_same(first, second):
    assert sorted(words_of(first)) == sorted(words_of(second))


@pytest.mark.parametrize(
    ("first", "second", "same"),
    [
        ("celadon", "celdon", True),
        ("jarrow", "yarrow", False),
        ("140mm", "14mm", False),
        ("ink", "oak", False),
    ],
)
def test_words_with_a_letter_more_or_less(first, second, same):
    assert same_word(first, second) == same


def test_words_that_stand_for_each_other_are_learnt_from_what_is_sure():
    weights = Weights([("trug", "denby"), ("basket", "denby"), ("jug", "calder")])
    assert not weights.same("trug", "basket")
    weights.learn([({"trug", f"line{n}"}, {"basket", f"line{n}"}) for n in range(3)])
    assert weights.same("basket", "trug")
    assert not weights.same("jug", "trug")


def as_seen(made):
    found = []

    def add(channel, said, head="", above=None):
        traits = said.get("traits", {})
        traits = dict.fromkeys(traits, "") if isinstance(traits, list) else traits
        names = [(above or said).get("title", ""), *(traits.values() if above else ())]
        title = said.get("title") or ", ".join(names)
        more = {name: said.get(name, "") for name in ("gtin", "text", "brand")}
        more |= {"head": head, "traits": traits, "weight_g": said.get("weight_g")}
        number = len(found) + 1
        price, sku = said.get("price", 0), said["sku"]
        found.append(SeenListing(number, channel, f"r{number}", sku, title, price, **more))
        return f"r{number}"

    for channel, listings in made.listings.items():
        for said in listings:
            head = add(channel, said)
            for variant in said.get("variants", ()):
                add(channel, variant, head, said)
    return found


@pytest.mark.parametrize(
    ("seed", "habits"),
    [
        (1, Habits(listings=400)),
        (2, Habits(listings=400, channels=("ownshop", "hagglet"))),
        (3, Habits(listings=400, other_sku=0.6, no_gtin=0.3)),
        (4, Habits(listings=400, listed=0.5)),
    ],
)
def test_made_up_worlds_are_joined_rightly(seed, habits):
    made = make_world(seed, habits)
    listings = [one for one in as_seen(made) if not one.is_head]
    truth = {one.id: made.truth[one.channel, one.sku] for one in listings}
    channel = {one.id: one.channel for one in listings}
    pairs = [
        pair
        for group in match(listings).groups
        for pair in combinations(group, 2)
        if channel[pair[0]] != channel[pair[1]]
    ]
    right = sum(truth[one] == truth[other] for one, other in pairs)
    assert right >= 0.99 * len(pairs)
    assert right >= 0.95 * made.true_links()
