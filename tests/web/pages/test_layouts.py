"""Tests papers in the seller's own layout as forms, and over HTTP."""

from lxml import html

from tests.visitor import post


def made(web, **more):
    answer = post(web, "/setup/papers", **{"name": "Our slip", "kind": "packing slip", **more})
    return answer, str(answer.url).partition("?")[0].removeprefix("http://testserver")


def test_a_layout_is_made_shown_and_saved(released, web):
    answer, path = made(web)
    page = html.fromstring(answer.text)
    assert "O-1001" in page.cssselect(".own-paper")[0].text_content()
    assert page.cssselect(".own-paper svg")
    assert len(page.cssselect("[data-place-into]")) > 20
    saved = post(web, path, name="Ours", size="A5", channel="", body="<p>{{ order.number }}</p>")
    shown = html.fromstring(saved.text)
    assert "version 2" in saved.text
    assert shown.cssselect("[name=size] [selected]")[0].get("value") == "A5"
    back = post(web, path, version="1")
    assert "version 3" in back.text
    assert "Ours" in web.get("/setup/papers").text


def test_a_layout_that_is_refused_keeps_what_was_typed(released, web):
    _, path = made(web)
    wrong = post(web, path, name="Ours", size="A5", channel="", body="{{ order.__class__ }}")
    assert wrong.status_code == 422
    assert "__class__" in html.fromstring(wrong.text).cssselect("textarea")[0].text
    assert made(web, kind="banner")[0].status_code == 422


def test_the_preview_follows_the_text(released, web):
    answer, path = made(web)
    example = html.fromstring(answer.text).cssselect("#f-example option")[0].get("value")
    body = "<b>{{ shipment.number }}</b><script>x</script>"
    shown = post(web, f"{path}/preview", example=example, body=body)
    assert "<script" not in shown.text
    assert html.fromstring(shown.text).cssselect(".own-paper b")[0].text.startswith("S-")
    assert "cannot be read" in post(web, f"{path}/preview", example=example, body="{{ a").text
