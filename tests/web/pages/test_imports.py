"""Tests the pages of imports: a file goes from the form to its verdicts."""

import pytest

from tests.house import add_pot, work
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


FAIR = (
    "Order;Mail;Name;Street;Town;Country;SKU;Goods;Units;Price\n"
    "F-1;ada@example.com;Ada;12 Larkspur Row;Tarnhollow;Niederlande;;Gift <b>wrap</b>;2;2,50\n"
    "F-1;;;;;;;Card;1;1,00\n"
    "F-2;bo@example.com;Bo;;Kestrow;NL;;Card;1;1,00\n"
)


def test_orders_come_by_file_from_the_form_to_the_list(web, workplace):
    data = {"csrf": web.csrf, "kind": "orders"}
    answer = web.post("/imports", data=data, files={"file": ("fair.csv", FAIR.encode())})
    here = answer.url.path
    form = page(answer).cssselect("#map")[0]
    fields = dict(form.form_values()) | {"tray": "short", "payments": "provisional"}
    lists = {
        name: [value for key, value in form.form_values() if key == name]
        for name in ("heading", "name", "decimal", "dates", "unit", "constant")
    }
    assert lists["name"][:4] == ["reference", "mail", "name", "street"]
    post(web, here, **{**fields, **lists})
    work(workplace)
    job = here.split("/")[-1]
    told = shown(page(web.get(f"/jobs/{job}")))
    assert "would take 1 order with 2 lines." in told
    assert "“Street” is empty." in told
    post(web, f"/jobs/{job}/apply")
    work(workplace)
    found = web.get("/orders", params={"q": "F-1"})
    assert "Ada" in shown(page(found))
    number = page(found).cssselect("td a[href*='/orders/O-']")[0].text_content().strip()
    order = shown(page(web.get(f"/orders/{number}")))
    assert "no product of the catalogue" in order
    assert "Gift <b>wrap</b>" in order


def test_a_tray_that_is_not_there_is_refused_for_orders_by_file(web):
    data = {"csrf": web.csrf, "kind": "orders", "tray": "nowhere"}
    answer = web.post("/imports", data=data, files={"file": ("fair.csv", FAIR.encode())})
    assert answer.status_code == 422
    assert "“Tray” must be one of" in shown(page(answer))


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        (["OLD;Other"], "Applying this would change 1. Nothing has been changed yet."),
        (["NEW;Pot"], "Applying this would make 1. Nothing has been changed yet."),
        (["OLD;Other", "NEW;Pot", "NEW-2;Pot"], "Applying this would make 2 and change 1. Nothing"),
        (["OLD;Pot OLD"], "Applying this would change nothing. 1 stay the same."),
    ],
)
def test_a_rehearsal_is_told_in_a_whole_sentence(workplace, owner, web, rows, said):
    add_pot(workplace, owner, "OLD", units=0)
    content = "\n".join(["sku;title", *rows]).encode()
    data = {"csrf": web.csrf, "kind": "products"}
    answer = web.post("/imports", data=data, files={"file": ("a.csv", content)})
    job = answer.url.path.split("/")[-1]
    columns = {
        "heading": ["sku", "title"],
        "decimal": [".", "."],
        "dates": ["ymd"] * 2,
        "unit": [""] * 2,
        "constant": [""] * 2,
        "encoding": "utf-8",
        "delimiter": ";",
        "header": "1",
    }
    post(web, f"/imports/{job}", name=["sku", "title"], **columns)
    work(workplace)
    assert said in shown(page(web.get(f"/jobs/{job}")))
