"""Tests the lines in which every process says what happens."""

import json
import logging
import subprocess
import sys

import pytest

from relvan.logs import JsonLines, begin_logs
from tests.applications import client_of
from tests.visitor import sign_in, words


@pytest.fixture
def lines(caplog):
    caplog.handler.setFormatter(JsonLines())
    return lambda: [json.loads(line) for line in caplog.text.splitlines()]


def test_an_error_page_shows_the_reference_of_its_line_and_the_line_holds_no_data(
    workplace, lines, monkeypatch
):
    from relvan.web.pages import orders

    def breaks(*_args, **_more):
        raise ValueError("Ada Fennimore, 12 Larkspur Row")

    monkeypatch.setattr(orders, "order_page", breaks)
    said = words(sign_in(client_of(workplace)).get("/orders?q=Ada+Fennimore"))
    (line,) = [line for line in lines() if line["level"] == "error"]
    assert line["reference"] in said
    assert (line["event"], line["error"]["kind"]) == ("Something broke", "ValueError")
    assert any("pages/orders.py" in place for place in line["error"]["places"])
    assert "Fennimore" not in json.dumps(line)


def test_requests_are_told_by_route_at_the_level_info(workplace, lines, caplog):
    caplog.set_level(logging.INFO, "relvan.requests")
    client = sign_in(client_of(workplace))
    client.get("/products/ADA-FENNIMORE")
    told = lines()[-1]
    assert told["route"] == "/products/{sku:path}"
    assert (told["method"], told["status"], told["event"]) == ("GET", 404, "request")
    assert told["ms"] > 0
    assert "FENNIMORE" not in caplog.text


def test_every_logger_of_a_process_writes_lines_of_json(tmp_path):
    code = (
        "import logging; from relvan.logs import begin_logs; begin_logs('info');"
        "logging.getLogger('uvicorn.error').info('it\\nruns'); logging.getLogger('x').debug('no')"
    )
    run = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    (line,) = map(json.loads, run.stderr.splitlines())
    assert (line["logger"], line["event"], line["level"]) == ("uvicorn.error", "it\nruns", "info")
    assert line["at"].endswith("Z")


def test_levels_that_are_none_are_refused():
    with pytest.raises(ValueError, match="LOUD"):
        begin_logs("loud")
