"""The pages of devices, of the logo, and of what a warehouse feeds."""

import pytest
from lxml import html

from relvan.services.shipping.papers import logo_of
from relvan.services.stock.safety import set_safety_of_many
from tests.house import add_pot, connect, png
from tests.visitor import page, post, words, wrong_beside

BASE = "/setup/devices"


def test_a_scale_is_set_and_tested(web, workplace, world):
    assert "no weight: No scale is connected" in words(post(web, f"{BASE}/scale/test"))
    assert "must be an http" in wrong_beside(post(web, f"{BASE}/scale", scale="ftp://x"), "scale")
    post(web, f"{BASE}/scale", scale=f"{world.url}/devices/scale")
    world.client.put("/devices/scale", json={"grams": 1_240})
    assert "1,240 g lie on it" in words(post(web, f"{BASE}/scale/test"))
    post(web, f"{BASE}/scale", scale="http://127.0.0.1:9/")
    assert "gives no weight" in words(post(web, f"{BASE}/scale/test"))


def test_a_page_tests_the_label_printer(web):
    answer = web.get(f"{BASE}/label-test.pdf")
    assert answer.headers["content-type"] == "application/pdf"
    assert answer.content.startswith(b"%PDF")


def upload(web, content, **more):
    files = {"logo": ("logo.png", content)} if content else None
    return web.post("/setup/firm/logo", data={"csrf": web.csrf, **more}, files=files)


@pytest.mark.parametrize("content", [b"", b"<svg/>", b"MZ\x90", png()[:80], b"x" * 2_000_001])
def test_a_logo_is_a_picture(web, workplace, content):
    answer = upload(web, content)
    assert answer.status_code == 422
    assert wrong_beside(answer, "logo")
    assert logo_of(workplace) == ""


def test_a_logo_stands_on_the_page_and_on_papers_until_it_is_taken_away(web, workplace):
    upload(web, png(side=80))
    (picture,) = page(web.get("/setup/firm")).cssselect("img.logo")
    assert web.get(picture.get("src")).headers["content-type"] == "image/png"
    assert logo_of(workplace).startswith("data:image/png;base64,")
    upload(web, b"", deed="away")
    assert not page(web.get("/setup/firm")).cssselect("img.logo")
    assert web.get("/setup/firm/logo").status_code == 404


def test_a_warehouse_says_what_it_feeds_and_keeps_back(web, workplace, owner, world):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    set_safety_of_many(workplace, owner, {"PT-14": 3}, "millrace")
    said = words(web.get("/setup/warehouses/yard"))
    assert "Hagglet as number 2 of its supply list" in said
    assert "Safety stock 0 units of 0 products" in said
    assert "3 units of 1 product" in words(web.get("/setup/warehouses/millrace"))


def test_bins_come_by_file(web, workplace):
    def send(content):
        files = {"file": ("bins.csv", content)}
        path = "/setup/warehouses/yard/bins"
        return web.post(path, data={"csrf": web.csrf}, files=files)

    assert "3 bins are added" in words(send(b"Code,Note\nz-01,left\nZ-02,\nZ-03,\n"))
    assert send(b"code\n").status_code == 422
    refused = send(b"Z-04\n%%%\n")
    assert refused.status_code == 422
    assert "is no code of a bin" in words(refused)
    codes = html.fromstring(web.get("/setup/warehouses/yard").text).cssselect("#bins td.mono")
    assert not any("Z-04" in code.text_content() for code in codes)
