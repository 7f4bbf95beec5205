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


def test_a_paper_that_asks_each_time_is_printed_in_the_layout_that_is_chosen(released, web):
    made(web)
    made(web, name="Gift slip")
    slip = web.get("/dispatch/shipments/1/packing-slip.pdf")
    assert slip.headers["Content-Type"] == "application/pdf"
    page = html.fromstring(post(web, "/setup/papers/asked", asked=["packing slip"]).text)
    assert [one.get("value") for one in page.cssselect("[name=asked][checked]")] == ["packing slip"]
    asked = html.fromstring(web.get("/dispatch/shipments/1/packing-slip.pdf").text)
    choices = [one.get("value") for one in asked.cssselect("button[name=layout]")]
    assert len(choices) == 3
    assert choices[-1] == "0"
    for layout in choices:
        chosen = web.get("/dispatch/shipments/1/packing-slip.pdf", params={"layout": layout})
        assert chosen.headers["Content-Type"] == "application/pdf"
    many = html.fromstring(post(web, "/dispatch/do/slips", pick=["1"]).text)
    assert many.cssselect("form.panel [name=pick]")[0].get("value") == "1"
    assert "nothing to print" in post(web, "/dispatch/do/slips").text
    printed = post(web, "/dispatch/do/slips", pick=["1"], layout=choices[0])
    assert printed.headers["Content-Type"] == "application/pdf"
    labels = web.get("/dispatch/shipments/1/carton-labels.pdf")
    assert labels.headers["Content-Type"] == "application/pdf", "only what asks does"
    assert post(web, "/setup/papers/asked", asked=["banner"]).status_code == 422


def test_the_preview_follows_the_text(released, web):
    answer, path = made(web)
    example = html.fromstring(answer.text).cssselect("#f-example option")[0].get("value")
    body = "<b>{{ shipment.number }}</b><script>x</script>"
    shown = post(web, f"{path}/preview", example=example, body=body)
    assert "<script" not in shown.text
    assert html.fromstring(shown.text).cssselect(".own-paper b")[0].text.startswith("S-")
    assert "cannot be read" in post(web, f"{path}/preview", example=example, body="{{ a").text
