"""One application for all tests of a process, and one outside world: their hundreds of routes are
put together once, and each test sets its own workplace, or its own world, into them."""

from fastapi.testclient import TestClient

from relvan.application import make_application
from relvan.services.channels.editions import take_up_editions
from standins.app import Present, make_routes

KEPT = {}


class Worlds:
    """One server for the worlds of all tests of a process, one world at a time."""

    def __init__(self, url):
        self.url, self.routes, self.present = url, make_routes(), None

    async def __call__(self, scope, receive, send):
        if scope["type"] == "http":
            await self.present(scope, receive, send)

    def begin(self, data):
        """Go on with the world on a file, fresh if there is none; the one before ends."""
        self.end()
        self.present = Present(self.routes, data, self.url)

    def end(self):
        if self.present is not None:
            self.present.end()
        self.present = None


def client_of(workplace):
    """Returns somebody who has not signed in yet, at the application of this workplace."""
    app = KEPT.get("app") or make_application(workplace.settings, workplace)
    KEPT["app"] = app
    take_up_editions(workplace)
    app.state.workplace = workplace
    return TestClient(app, raise_server_exceptions=False)
