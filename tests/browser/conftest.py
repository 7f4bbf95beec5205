"""One running demo for all browser tests: application, worker and outside world, as a person starts
them."""

import os
import signal
import subprocess
import sys
from pathlib import Path

import httpx
import pytest

from tests.outside import World
from tests.server import free_port

CHROMIUM = os.environ.get("RELVAN_CHROMIUM", "/usr/bin/chromium")
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
]
AXE = (Path(__file__).parent.parent / "vendor/axe/axe.min.js").read_text()


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return {"executable_path": CHROMIUM, "args": FLAGS}


@pytest.fixture(scope="session")
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}, "reduced_motion": "reduce"}


class Demo:
    """The running demo: where it is, its outside world, its API."""

    def __init__(self, url, world_url, data):
        self.url, self.data = url, data
        self.world = World(world_url)
        self.api = httpx.Client(
            base_url=f"{url}/api/v1",
            headers={"Authorization": "Bearer relvan-demo-token"},
            timeout=20,
        )


@pytest.fixture(scope="session")
def demo(tmp_path_factory):
    data = tmp_path_factory.mktemp("demo") / "data"
    port, world_port = free_port(), free_port()
    command = [
        sys.executable,
        "-m",
        "relvan",
        "demo",
        "--port",
        str(port),
        "--world-port",
        str(world_port),
        "--data",
        str(data),
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    lines = []
    for line in process.stdout:
        lines.append(line)
        if "Ctrl+C" in line:
            break
    assert process.poll() is None, "".join(lines)
    found = Demo(f"http://127.0.0.1:{port}", f"http://127.0.0.1:{world_port}", data)
    yield found
    found.api.close()
    found.world.client.close()
    process.send_signal(signal.SIGTERM)
    process.wait(timeout=30)
    process.stdout.close()


@pytest.fixture
def person(page, demo):
    """Returns the owner, signed in, in a browser; nothing may go wrong in its console."""
    wrong = []
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.on(
        "console", lambda message: wrong.append(message.text) if message.type == "error" else None
    )
    page.goto(f"{demo.url}/sign-in")
    page.get_by_text("Imogen Hartwell").click()
    page.wait_for_url(f"{demo.url}/")
    yield page
    assert [
        text for text in wrong if "status of 422" not in text and "status of 404" not in text
    ] == []


FEW_ROWS = "document.querySelectorAll('tbody > tr:nth-child(n+9)').forEach((row) => row.remove())"


def violations(page):
    """Returns what axe finds on a page. Of long tables it looks at the first rows; the others are
    made by the same lines."""
    page.evaluate(FEW_ROWS)
    page.evaluate(AXE)
    found = page.evaluate(
        "async () => (await axe.run(document, {resultTypes: ['violations']})).violations"
    )
    return [
        (
            rule["id"],
            rule["nodes"][0]["html"][:160],
            rule["nodes"][0].get("failureSummary", "")[:300],
        )
        for rule in found
    ]
