"""Tests what a buyer can still change of an order, on its page and for tests."""

import pytest

from tests.steps.world import place


@pytest.fixture
def bought(world):
    """Buys two of a thing, unpaid; returns the order's number."""
    place(world)
    return world.buy("hagglet", "A", 2, paid=False)


def post(world, path, **form):
    return world.client.post(path, data=form, follow_redirects=True)


def test_a_buyer_pays_has_it_sent_elsewhere_takes_units_off_and_cancels(world, bought):
    here = f"/hagglet/orders/{bought}"
    page = world.client.get(here).text
    for button in ("Pay", "Change the address", "Take them off", "Cancel the order"):
        assert f">{button}</button>" in page
    assert ">Pay</button>" not in post(world, f"{here}/pay").text
    moved = post(world, f"{here}/address", street="3 Mill <b>Lane", town="Fernhollow")
    assert "3 Mill &lt;b&gt;Lane" in moved.text
    (line,) = world.order("hagglet", bought)["lines"]
    assert "1 x A pot" in post(world, f"{here}/take-off", line=line["line"], units="1").text
    ended = post(world, f"{here}/cancel").text
    assert "cancelled" in ended
    assert "Change the address" not in ended


def test_an_address_is_changed_in_part_and_only_news_are_news(world, bought):
    before = world.order("hagglet", bought)
    address = f"/world/hagglet/orders/{bought}/address"
    assert world.client.post(address, json={"town": "Fernhollow"}).status_code == 200
    after = world.order("hagglet", bought)
    assert after["buyer"] == {**before["buyer"], "town": "Fernhollow"}
    assert after["seq"] > before["seq"]
    world.client.post(address, json={"town": "Fernhollow"})
    assert world.order("hagglet", bought)["seq"] == after["seq"]


@pytest.mark.parametrize(
    ("path", "body", "status"),
    [
        ("/world/hagglet/orders/{}/address", {"planet": "Mars"}, 422),
        ("/world/hagglet/orders/NONE/address", {"town": "X"}, 404),
        ("/world/nowhere/orders/{}/address", {"town": "X"}, 404),
        ("/world/hagglet/orders/{}/explode", None, 404),
    ],
)
def test_what_a_buyer_cannot_do_is_refused(world, bought, path, body, status):
    assert world.client.post(path.format(bought), json=body).status_code == status
    assert post(world, f"/hagglet/orders/{bought}/take-off", line="1", units="x").status_code == 422
