"""One application for all tests of a process: its three hundred routes are put together once, and each test sets its
own workplace into it."""

from fastapi.testclient import TestClient

from relvan.application import make_application
from relvan.services.channels.editions import take_up_editions
from relvan.web.rendering import make_environment

KEPT = {}


def client_of(workplace):
    """Somebody who has not signed in yet, at the application of this workplace."""
    app = KEPT.get("app") or make_application(workplace.settings, workplace)
    KEPT["app"] = app
    take_up_editions(workplace)
    app.state.workplace, app.state.environment = workplace, make_environment(workplace.settings)
    return TestClient(app, raise_server_exceptions=False)
