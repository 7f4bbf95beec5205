"""Tests the pages of rules of carriage, of accounts at carriers, and of choosing a service."""

from lxml import html

from tests.steps.sale import pick_all_waiting
from tests.visitor import post

RULE = {"name": "Fast", "take": "fastest", "countries": "ie nl", "most_g": "2000", "active": "yes"}


def items(answer):
    page = html.fromstring(answer.text)
    return [
        one.text_content().split("Change")[0]
        for one in page.cssselect("#rule-order ol.order-list li")
    ]


def test_rules_are_written_ordered_tried_and_deleted(shop, web):
    assert "There is none yet." in web.get("/setup/carriage").text
    post(web, "/setup/carriage", **RULE)
    named = {"name": "Post", "take": "named", "services": "ostrel:tracked", "active": "yes"}
    answer = post(web, "/setup/carriage", **named)
    assert [" ".join(one.split()) for one in items(answer)] == [
        "⋮ Fast Going to IE, NL, up to 2000 g: the fastest.",
        "⋮ Post Everything: the first of Ostrel Post: Tracked parcel that serves.",
    ]
    assert items(post(web, "/setup/carriage/order", rule=["2", "1"]))[0].split()[1] == "Post"
    tried = post(web, "/setup/carriage/try").text
    assert "Nothing was dispatched with a carrier in that time." in tried
    post(web, "/setup/carriage/2/delete")
    assert len(items(web.get("/setup/carriage"))) == 1


def test_the_form_offers_services_by_name_first_those_of_the_rule(shop, web):
    chosen = ["ostrel:morning", "ostrel:gone"]
    post(web, "/setup/carriage", name="Post", take="cheapest", services=chosen, active="yes")
    page = html.fromstring(web.get("/setup/carriage?rule=1").text)
    offered = [
        (" ".join(one.text_content().split()), "checked" in one.find("input").attrib)
        for one in page.cssselect("#rule fieldset ol label")
    ]
    assert offered[:3] == [
        ("Ostrel Post: Next morning", True),
        ("ostrel:gone", True),
        ("Ostrel Post: Bulky parcel", False),
    ]
    assert not any(ticked for _, ticked in offered[2:])


def test_what_cannot_be_read_is_refused_and_kept(shop, web):
    for wrong, words in (
        ({"most_g": "heavy"}, "Weighs"),
        ({"take": "luck"}, "Nothing is called “luck”."),
        ({"countries": "XX"}, "“XX” is not known here."),
    ):
        answer = post(web, "/setup/carriage", **{**RULE, **wrong})
        assert answer.status_code == 422
        assert words in answer.text or words == "Weighs"
    assert items(web.get("/setup/carriage")) == []
    assert "Trying" not in post(web, "/setup/carriage", **{**RULE, "try": "yes"}).text
    assert items(web.get("/setup/carriage")) == [], "a rule that is tried is not saved"


def test_an_account_is_used_as_it_is_said(shop, web):
    use = {"label_format": "png", "label_size": "100x150", "reference": "order"}
    use |= {"after_label": "dispatch", "collects": ["millrace"]}
    page = html.fromstring(post(web, "/setup/carriers/ostrel/use", **use).text)
    chosen = [one.get("value") for one in page.cssselect("option[selected]")]
    assert chosen == ["png", "100x150", "order", "dispatch"]
    refused = post(web, "/setup/carriers/ostrel/use", **{**use, "label_format": "zpl"})
    assert refused.status_code == 422
    assert post(web, "/setup/carriers/haulwell/use", **use).status_code == 404


def test_a_service_is_chosen_with_a_signature_and_its_label_printed(released, owner, web):
    post(web, "/setup/carriage", **{**RULE, "countries": ""})
    post(
        web,
        "/setup/carriers/ostrel/use",
        label_format="png",
        label_size="A6",
        reference="order",
        after_label="wait",
    )
    shipment = pick_all_waiting(released, owner)[0]
    path = f"/dispatch/shipments/{shipment}"
    post(web, f"{path}/parcels", weight_g="900")
    assert "by the rule “Fast”" in web.get(path).text
    asked = post(web, f"{path}/labels", extras="yes", signature="yes", deed="ask")
    assert "ostrel:slim" not in asked.text
    assert 'value="ostrel:tracked"' in asked.text
    assert post(web, f"{path}/labels", extras="yes").status_code == 422
    bought = post(web, f"{path}/labels", extras="yes", signature="yes", service="ostrel:tracked")
    assert "Label bought: OP" in bought.text
    assert web.get("/dispatch/parcels/1/label.pdf").content.startswith(b"%PDF")
    assert web.get("/dispatch/parcels/1/label.png").content.startswith(b"\x89PNG")
    assert web.get(f"{path}/commercial-invoice.pdf").status_code == 422
