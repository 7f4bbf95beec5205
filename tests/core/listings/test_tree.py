"""Tests categories as a tree and as what words find."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.attributes import levels_of
from relvan.core.listings.rulebook import ChannelCategory
from relvan.core.listings.suggesting import suggest_categories
from relvan.core.listings.tree import asks_for, search_categories, unfold
from relvan.gateways.channels.registry import rulebook, rulebooks

PATHS = [
    "Garden / Pots",
    "Garden / Pots / Hanging",
    "Garden / Tools / Café chairs",
    "Books",
    "Kitchen / Pots and pans",
]
CATEGORIES = [ChannelCategory(key=f"c{number}", name=path) for number, path in enumerate(PATHS)]


def found(words):
    return [one.name for one in search_categories(CATEGORIES, words)]


def test_paths_unfold_in_their_order_and_a_name_on_the_way_has_no_key():
    garden, books, kitchen = unfold(CATEGORIES)
    assert (garden.name, garden.key, garden.choices) == ("Garden", "", 3)
    assert [(one.name, one.key) for one in garden.below] == [("Pots", "c0"), ("Tools", "")]
    assert garden.below[0].below[0].path == "Garden / Pots / Hanging"
    assert (books.key, kitchen.choices) == ("c3", 1)


def test_words_find_by_their_beginnings_anywhere_in_the_path_and_the_last_name_counts_most():
    assert found("pot") == ["Garden / Pots", "Kitchen / Pots and pans", "Garden / Pots / Hanging"]
    assert found("gar hang") == ["Garden / Pots / Hanging"]
    assert found("CAFE") == ["Garden / Tools / Café chairs"]
    assert (found("otp"), found("pot zzz"), found("  "), found("/")) == ([], [], [], [])
    assert len(search_categories(CATEGORIES, "pot", most=2)) == 2


@given(
    st.lists(
        st.lists(st.sampled_from("abcd"), min_size=1, max_size=4),
        min_size=1,
        max_size=20,
        unique_by=tuple,
    )
)
def test_every_category_is_once_in_the_tree_and_is_found_by_its_own_path(paths):
    categories = [
        ChannelCategory(key=str(number), name=" / ".join(path)) for number, path in enumerate(paths)
    ]
    seen = []

    def walk(branch):
        if branch.key:
            seen.append((branch.key, branch.path))
        for below in branch.below:
            walk(below)

    for top in unfold(categories):
        walk(top)
    assert sorted(seen) == sorted((one.key, one.name) for one in categories)
    for one in categories:
        assert one in search_categories(categories, one.name.replace("/", " "))


def test_every_shipped_tree_unfolds_and_says_what_its_categories_need():
    for key in rulebooks():
        book = rulebook(key)
        assert (
            sum(branch.choices for branch in unfold(book.categories)) == len(book.categories) >= 30
        )
        assert all(levels_of(one.name) for one in book.categories)
    assert "Diameter" in asks_for(rulebook("corvello"), "cv-101")
    assert asks_for(rulebook("corvello"), "no such") == []


FITS = [  # our category, a title, the end of the path of what is proposed first at Corvello and at Hagglet
    ("Pots / Saucers", "Aubrey saucer, celadon, 10 cm", "Saucers", "Saucers"),
    ("Pots / Hanging", "Rill hanging pot, 12 cm", "Hanging vessels", "Hanging"),
    ("Pots / Planters", "Weir planter, 30 cm", "Pots", "Planters and pots"),
    ("Care", "Plant labels, painted", "Labels", "Labels and twine"),
    ("Watering", "Plant mister, enamelled", "Misters", "Misters"),
]


@pytest.mark.parametrize(("ours", "title", "corvello", "hagglet"), FITS)
def test_what_fits_is_proposed_by_names_along_our_path_and_by_titles(
    ours, title, corvello, hagglet
):
    for key, ending in (("corvello", corvello), ("hagglet", hagglet)):
        first = suggest_categories(rulebook(key), ours, [title], {})[0]
        assert (first.name.rpartition(" / ")[2], first.because) == (
            ending,
            "like its category and titles",
        )


def test_what_was_chosen_before_goes_first_and_what_is_no_category_any_more_is_left_out():
    found = suggest_categories(
        rulebook("corvello"), "Care", ["Jute twine"], {"cv-201": 1, "gone": 9, "cv-101": 3}
    )
    assert [(one.key, one.because) for one in found[:2]] == [
        ("cv-101", "chosen 3 times for Care"),
        ("cv-201", "chosen 1 time for Care"),
    ]
    assert suggest_categories(rulebook("corvello"), "", [], {}) == ()
    assert len({one.key for one in found}) == len(found) <= 4
