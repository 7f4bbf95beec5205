"""Tests fetching a picture from an address that a person gave: within bounds, wherever it leads."""

import pytest
from starlette.applications import Starlette
from starlette.responses import RedirectResponse, Response
from starlette.routing import Route

from relvan.core.refusal import Refused
from relvan.gateways.calling import OutsideTrouble
from relvan.gateways.fetching import fetch_picture
from tests.server import Served


def site(_url):
    """Returns a site with a picture, a large one, ways round in circles and out of the world, and
    bad days."""
    return Starlette(
        routes=[
            Route("/pot.png", lambda _: Response(b"picture")),
            Route("/large.png", lambda _: Response(b"x" * 5_000)),
            Route("/moved", lambda _: RedirectResponse("/pot.png")),
            Route("/round", lambda _: RedirectResponse("/round")),
            Route("/out", lambda _: RedirectResponse("file:///etc/passwd")),
            Route("/broken", lambda _: Response(status_code=503)),
        ]
    )


@pytest.fixture(scope="module")
def there():
    with Served(site) as served:
        yield served.url


def fetch(address, **more):
    return fetch_picture(address, **{"private_allowed": True, "most_bytes": 1_000, **more})


def test_what_is_there_is_fetched_also_after_a_move(there):
    assert fetch(f"{there}/pot.png?size=large") == fetch(f"{there}/moved") == b"picture"


@pytest.mark.parametrize(
    ("path", "code"),
    [
        ("/large.png", "too-large"),
        ("/round", "address"),
        ("/out", "address"),
        ("/nothing.png", "address"),
    ],
)
def test_what_leads_nowhere_good_is_refused(there, path, code):
    with pytest.raises(Refused) as refused:
        fetch(there + path)
    assert refused.value.first.code == code


def test_a_private_address_is_refused_before_it_is_called(there):
    with pytest.raises(Refused) as refused:
        fetch(f"{there}/pot.png", private_allowed=False)
    assert "private network" in refused.value.first.message


def test_trouble_outside_is_no_refusal(there):
    for address in (f"{there}/broken", "http://127.0.0.1:9/nobody"):
        with pytest.raises(OutsideTrouble):
            fetch(address)
