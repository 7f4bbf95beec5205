"""Tests the sentence bar of a list."""

from relvan.web.sentence import Chip, Choice, ListKind, read_sentence

CHIPS = (
    Chip("tray", "Tray", (Choice("inbox", "in the inbox"), Choice("short", "short"))),
    Chip("paid", "Paid", (Choice("yes", "paid"),)),
)


def test_a_sentence_is_its_address():
    sentence = read_sentence(
        ListKind("Orders", "/orders"),
        CHIPS,
        {"tray": "inbox", "paid": "never", "q": " Ada ", "x": "y"},
    )
    assert [(chip.key, words) for chip, words in sentence.parts] == [("tray", "in the inbox")]
    assert [chip.key for chip in sentence.open_chips] == ["paid"]
    assert sentence.query == "tray=inbox&q=Ada"
    assert sentence.url("tray", "") == "/orders?q=Ada"
    assert sentence.url("paid", "yes") == "/orders?tray=inbox&paid=yes&q=Ada"
