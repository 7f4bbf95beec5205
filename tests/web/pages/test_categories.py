"""Tests the pages of categories and attributes."""

from tests.visitor import page, post, words, wrong_beside


def test_a_category_and_an_attribute_with_a_fault_are_refused_in_place(web):
    assert "must not be empty" in wrong_beside(
        post(web, "/categories/add", category=" / "), "category"
    )
    answer = post(web, "/categories/attributes", name="Glaze", kind="one of", choices="")
    assert "has no choices" in wrong_beside(answer, "choices")
    post(web, "/categories/add", category="Pots / Indoors")
    post(web, "/categories/attributes", name="Glaze", kind="one of", choices="ink\noat")
    post(web, "/categories/asks", path="Pots", asked="Glaze", needed="Glaze")
    assert "asks for 1" in page(web.get("/categories")).text_content()


def test_categories_are_made_moved_asked_and_dropped(web, workplace, owner, pots):
    post(web, "/categories/add", category="Pots / Indoors")
    assert "is Vessels now" in words(post(web, "/categories/rename", path="Pots", new="Vessels"))
    saved = post(
        web, "/categories/attributes", name="Finish", kind="one of", choices="matt\r\ngloss"
    )
    assert "Finish is saved" in words(saved), saved.url
    assert "asks for 1" in words(
        post(web, "/categories/asks", path="Vessels", asked="Finish", needed="Finish")
    )
    assert "out of the tree" in words(post(web, "/categories/drop", path="Vessels / Indoors"))
    assert "plain text now" in words(post(web, "/categories/attributes/drop", name="Finish"))
    assert post(web, "/categories/drop", path="Nowhere").status_code == 404
    assert post(web, "/categories/rename", path="Vessels", new=" / ").status_code == 422
