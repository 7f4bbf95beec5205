"""Tests the plan of a warehouse and drafts of pick lists as forms."""

import json

from lxml import html

from relvan.services.setup.bins import add_bins
from relvan.store.dispatch import pick_list_rows
from tests.house import add_pot
from tests.visitor import post
from tests.web.pages.test_dispatch import ids

PLAN = {
    "aisles": "3",
    "bays": "10",
    "bay_m": "1,2",
    "aisle_pitch_m": "4",
    "cross_off_m": "1",
    "names": "A B C",
    "start_aisle": "a",
    "drop_aisle": "C",
    "drop_end": "back",
    "bin_rule": "oldest",
}


def lists(workplace):
    with workplace.database.reading() as session:
        return pick_list_rows(session)


def save(web, **change):
    return post(web, "/setup/warehouses/millrace/plan", **{**PLAN, **change})


def test_a_plan_is_proposed_from_the_bins_and_drawn_once_it_is_saved(workplace, owner, web):
    add_bins(workplace, owner, "millrace", ["A-01", "B-07"])
    proposed = web.get("/setup/warehouses/millrace/plan").text
    assert "This plan is proposed from the codes of the bins." in proposed
    saved = save(web, cross_aisles="5.5")
    assert "The plan is saved: 3 aisles of 10 bays." in saved.text
    page = html.fromstring(saved.text)
    assert [one.text for one in page.cssselect("svg .aisle")] == ["A", "B", "C"]
    assert len(page.cssselect("svg .bay")) == 2 * 30
    assert page.cssselect("[name=bay_m]")[0].get("value") == "1.2"
    assert page.cssselect("[name=drop_end] [selected]")[0].get("value") == "back"


def test_more_aisles_get_the_next_names(workplace, owner, web):
    page = html.fromstring(save(web, aisles="5").text)
    assert page.cssselect("[name=names]")[0].get("value") == "A B C D E"


def test_a_plan_that_cannot_be_keeps_what_was_typed(workplace, web):
    for change, field in (
        ({"bay_m": "wide"}, "bay_m"),
        ({"aisles": "many"}, "aisles"),
        ({"start_aisle": "Q"}, "start_aisle"),
        ({"cross_aisles": "99"}, "cross_aisles"),
    ):
        answer = save(web, **change)
        assert answer.status_code == 422
        typed = html.fromstring(answer.text).cssselect(f"[name={field}]")[0].get("value")
        assert typed == change[field]


def test_a_draft_is_proposed_changed_and_confirmed(released, web):
    save(web)
    answer = post(web, "/dispatch/propose", draft="yes", kind="totes", most="5", name="")
    assert "Draft of pick list" in answer.text
    (drawn,) = lists(released)
    form = html.fromstring(answer.text)
    units = {one.get("name"): one.get("value") for one in form.cssselect("[name^=units_]")}
    path = f"/dispatch/pick-lists/{drawn.id}/change"
    wrong = post(web, path, **{**units, next(iter(units)): "99"})
    assert wrong.status_code == 422
    done = post(web, path, deed="confirm", name="Noon", **units)
    assert "It can be picked." in done.text
    assert "into tote" in done.text
    assert [(row.state, row.name) for row in lists(released)] == [("open", "Noon")]
    cancelled = post(web, path, deed="cancel")
    assert "The list is cancelled" in cancelled.text
    assert len(ids(released, "to pick")) == 2


def test_nothing_that_fits_is_said_and_an_unknown_kind_is_refused(released, web):
    assert "fits this" in post(web, "/dispatch/propose", warehouse="yard", draft="yes").text
    assert post(web, "/dispatch/propose", kind="heaps", draft="yes").status_code == 422
    assert lists(released) == []


def test_what_a_bin_is_for_is_said_in_its_row(workplace, owner, web):
    add_pot(workplace, owner)
    add_bins(workplace, owner, "millrace", ["A-01"])
    saved = post(
        web,
        "/setup/warehouses/millrace/bins/purpose",
        code="A-01",
        purpose="reserve",
        capacity="40",
    )
    page = html.fromstring(saved.text)
    row = next(one for one in page.cssselect("tbody tr") if "A-01" in one.text_content())
    assert row.cssselect("[name=purpose] [selected]")[0].get("value") == "reserve"
    assert row.cssselect("[name=capacity]")[0].get("value") == "40"


def test_a_phone_gets_all_it_needs_and_sends_what_was_scanned(released, web):
    post(web, "/dispatch/pick-lists", pick=[str(one) for one in ids(released, "to pick")])
    (row,) = lists(released)
    assert row.number in web.get("/dispatch/phone").text
    page = html.fromstring(web.get(f"/dispatch/phone/{row.id}").text)
    told = json.loads(page.cssselect("#phone-list")[0].text)
    first = told["picks"][0]
    assert first["sku"] in first["codes"]
    assert first["picked"] is None
    scan = {
        "key": "phone-key-1",
        "kind": "pick",
        "pick": first["id"],
        "quantity": first["quantity"],
        "code": first["codes"][-1],
        "at": "2026-11-30T12:00:00Z",
    }
    for _ in range(2):
        answer = post(web, told["send"], scans=json.dumps([scan])).json()
        assert answer["taken"] == [{"key": "phone-key-1", "said": ""}]
        assert answer["picks"][0]["picked"] == first["quantity"]
        assert answer["at"] >= told["at"]
    assert post(web, told["send"], scans="no json").status_code == 422
    worker = web.get("/phone-worker.js")
    assert worker.headers["service-worker-allowed"] == "/"
    assert web.get("/dispatch/phone/999").status_code == 404


def test_a_plan_is_drawn_from_the_form_while_it_is_edited(workplace, web):
    path = "/setup/warehouses/millrace/plan"
    save(web)
    drawn = post(web, f"{path}/preview", **{**PLAN, "names": "C B A", "cross_aisles": "4"})
    page = html.fromstring(drawn.text)
    assert [one.get("data-aisle") for one in page.cssselect("[data-aisle]")] == ["C", "B", "A"]
    assert len(page.cssselect("[data-cross]")) == 1
    assert {one.get("data-end") for one in page.cssselect("[data-end]")} <= {"start", "drop"}
    wrong = post(web, f"{path}/preview", **{**PLAN, "bay_m": "wide"})
    assert "is not a length in metres" in wrong.text
    assert "C B A" not in web.get(path).text, "nothing is kept"


def test_a_plan_goes_out_as_a_file_and_comes_in_again(workplace, web):
    path = "/setup/warehouses/millrace/plan"
    assert web.get(f"{path}.json").status_code == 404
    save(web)
    told = web.get(f"{path}.json").json()
    assert (told["aisles"], told["names"]) == (int(PLAN["aisles"]), ["A", "B", "C"])
    token = {"csrf": web.csrf}
    told |= {"names": ["X", "Y", "Z"]}
    for content, status in (
        (json.dumps(told), 200),
        ("[]", 422),
        ("", 422),
        ('{"aisles": 0}', 422),
    ):
        answer = web.post(f"{path}/file", data=token, files={"file": ("plan.json", content)})
        assert answer.status_code == status, content
    assert web.get(f"{path}.json").json()["names"] == ["X", "Y", "Z"]
