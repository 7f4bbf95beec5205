"""Tests the pages of imports: a file goes from the form to its verdicts."""

import pytest

from tests.house import work
from tests.visitor import page, post, shown, words, wrong_beside


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("a.csv", b"", "is empty"),
        ("a.exe", b"MZ", "must be a CSV"),
        ("a.xlsx", b"PK\x03\x04", "damaged or cut off"),
    ],
)
def test_a_file_that_cannot_be_read_is_refused_beside_the_field(web, name, content, words):
    data = {"csrf": web.csrf, "kind": "products"}
    answer = web.post("/imports", data=data, files={"file": (name, content)})
    assert answer.status_code == 422
    assert words in wrong_beside(answer, "file")


def test_a_file_goes_from_the_form_to_its_verdicts(web, workplace):
    data = {"csrf": web.csrf, "kind": "products"}
    answer = web.post(
        "/imports", data=data, files={"file": ("a.csv", b"no.;name\nX-1;A pot\nX-2;<b>B</b>\n")}
    )
    job = answer.url.path.split("/")[-1]
    columns = {
        "heading": ["no.", "name"],
        "decimal": [".", "."],
        "dates": ["ymd"] * 2,
        "unit": [""] * 2,
        "constant": [""] * 2,
        "encoding": "utf-8",
        "delimiter": ";",
        "header": "1",
    }
    refused = post(web, f"/imports/{job}", name=["", "title"], **columns)
    assert refused.status_code == 422
    assert "No column is “SKU”" in page(refused).text_content()
    post(web, f"/imports/{job}", name=["sku", "title"], keep_as="Theirs", **columns)
    work(workplace)
    answer = web.get(f"/jobs/{job}")
    assert "would make 2." in shown(page(answer))
    assert "&lt;b&gt;B" in answer.text
    assert "Theirs" in web.get("/imports").text
    assert web.get(f"/jobs/{job}/result.csv").text.count("new") == 2
    assert "cannot “undo”" in page(post(web, f"/jobs/{job}/undo")).text_content()
    assert post(web, f"/jobs/{job}/nonsense").status_code == 404


def test_a_file_is_looked_at_again_as_it_is_said_to_be_written(web, workplace):
    content = "sku;name\nA;Größe\n".encode("cp1252")
    answer = web.post(
        "/imports", data={"csrf": web.csrf, "kind": "products"}, files={"file": ("a.csv", content)}
    )
    here = answer.url.path
    columns = {
        "heading": ["sku", "name"],
        "name": ["sku", "title"],
        "decimal": [".", "."],
        "dates": ["ymd"] * 2,
        "unit": [""] * 2,
        "constant": [""] * 2,
    }
    looked = post(web, f"{here}/look", encoding="cp1252", delimiter=";", header="1", **columns)
    assert "Größe" in looked.text
    wrong = post(web, f"{here}/look", encoding="utf-8", delimiter=";", header="1", **columns)
    assert wrong.status_code == 422
    assert "not written in utf-8" in words(wrong)
    assert (
        post(
            web, f"{here}/look", encoding="klingon", delimiter=";", header="1", **columns
        ).status_code
        == 422
    )
    sent = post(web, here, encoding="cp1252", delimiter=";", header="1", keep_as="Ours", **columns)
    assert sent.url.path.startswith("/jobs/")
    work(workplace)
    assert "forgotten" in words(post(web, "/mappings/drop", name="Ours"))
    assert post(web, "/mappings/drop", name="Ours").status_code == 404
    assert web.get("/imports/samples/nothing.csv").status_code == 404
