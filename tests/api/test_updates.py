"""Who delivers and reads, over the API."""

from relvan.services.duties import take_share
from tests.api.test_sale import api  # noqa: F401 - the fixture
from tests.house import connect


def test_workers_are_listed_with_their_channels(api, workplace, owner, world):  # noqa: F811
    connect(workplace, owner, world)
    assert api.get("/api/v1/workers").json() == {"items": []}
    take_share(workplace, "anvil")
    (worker,) = api.get("/api/v1/workers").json()["items"]
    assert (worker["name"], worker["channels"], worker["lives"]) == ("anvil", 2, True)
    workplace.now.move(minutes=1)
    assert not api.get("/api/v1/workers").json()["items"][0]["lives"]
