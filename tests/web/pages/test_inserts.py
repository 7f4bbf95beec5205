"""Tests the page of inserts."""

from tests.visitor import post

PATH = "/setup/inserts"
CARD = {"name": "Card", "weight_g": "8", "countries": "ie nl", "skus": "PT-14", "active": "yes"}


def test_inserts_are_written_changed_and_deleted(shop, web):
    assert "There is none yet" in web.get(PATH).text
    saved = post(web, PATH, **CARD, channel=["hagglet", "none"], least_value="25").text
    for words in (
        "Card",
        "8 g",
        "Going to IE, NL.",
        "With PT-14.",
        "Sold on Hagglet. Orders by hand.",
        "€25.00",
    ):
        assert words in saved, words
    refused = post(web, PATH, **{**CARD, "weight_g": "heavy"})
    assert refused.status_code == 422
    assert "Change “Card”" in web.get(PATH, params={"insert": 1}).text
    post(web, PATH, **{**CARD, "name": "Leaflet"}, id="1")
    assert "Leaflet" in web.get(PATH).text
    post(web, f"{PATH}/1/delete")
    assert "There is none yet" in web.get(PATH).text
    assert web.get(PATH, params={"insert": 1}).status_code == 404
