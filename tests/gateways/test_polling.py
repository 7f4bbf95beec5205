"""Tests that what is asked again and again sorts every answer as any other call does."""

import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from relvan.core.refusal import Refused
from relvan.gateways.calling import OutsideCaller, OutsideRefusal, OutsideTrouble


class Answers(BaseHTTPRequestHandler):
    """Answers with the status that stands in the path; `cut` and `garbled` are their own."""

    protocol_version = "HTTP/1.1"

    def do_GET(self):  # noqa: N802
        name = self.path.strip("/").partition("?")[0]
        self.server.asked.append((self.path, self.headers.get("authorization")))
        if name == "cut":
            self.close_connection = True
            return
        body = {"garbled": b"<html>", "404": b'{"error": "no such thing"}'}.get(name, b'{"a": [1]}')
        self.send_response(int(name) if name.isdigit() else 200)
        if name in ("429", "503"):
            self.send_header("Retry-After", "7")
        if name == "302":
            self.send_header("Location", "/200")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_):
        """Says nothing."""


@pytest.fixture
def server():
    with ThreadingHTTPServer(("127.0.0.1", 0), Answers) as server:
        server.asked, server.daemon_threads = [], True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield server
        server.shutdown()


def caller_at(port, *, private_allowed=True):
    address, headers = f"http://127.0.0.1:{port}", {"Authorization": "Bearer t"}
    return OutsideCaller(address, headers, name="Hagglet", private_allowed=private_allowed)


@pytest.fixture
def caller(server):
    found = caller_at(server.server_port)
    yield found
    found.close()


def came_of(call):
    """Returns what a call answered, or all that its failure says but for the library's words."""
    try:
        return call()
    except OutsideTrouble as trouble:
        return "trouble", str(trouble).partition(":")[0], trouble.unclear, trouble.retry_after
    except OutsideRefusal as refusal:
        return "refusal", str(refusal), refusal.status, refusal.body


@pytest.mark.parametrize(
    "name", ["200", "302", "401", "403", "404", "422", "429", "500", "503", "cut", "garbled"]
)
def test_both_ways_of_asking_sort_an_answer_alike(caller, name):
    polled = came_of(lambda: caller.poll(name, after=3))
    assert polled == came_of(lambda: caller.json("GET", name, params={"after": 3}))
    assert (polled == {"a": [1]}) is (name == "200")


def test_what_is_asked_reaches_the_other_side_with_the_token(caller, server):
    caller.poll("200", after=3, limit=50)
    assert server.asked == [("/200?after=3&limit=50", "Bearer t")]


def test_a_server_that_went_and_came_back_is_asked_again(caller):
    assert came_of(lambda: caller.poll("cut", after=1))[0] == "trouble"
    assert caller.poll("200", after=1) == {"a": [1]}


def test_nobody_there_and_an_address_that_may_not_be_called():
    nobody = caller_at(9)
    found = came_of(lambda: nobody.poll("200"))
    assert found == ("trouble", "Hagglet cannot be reached", False, None)
    nobody.close()
    forbidden = caller_at(9, private_allowed=False)
    with pytest.raises(Refused):
        forbidden.poll("200")
    forbidden.close()
