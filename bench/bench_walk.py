"""Every page of a large demo: the walk begins at Today and follows each link of a new shape.

It needs the data of `make demo SCALE=100000 FRESH=1`, in `var/demo` or in the folder that
RELVAN_BENCH_DATA names, and changes nothing in them. The floor is a page of the same application
without content. Pages that take longest come first.
"""

import os
import re
import sys
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import parse_qsl, urlsplit

from fastapi.testclient import TestClient
from lxml import html

from ground import figures, report, timed
from relvan.application import make_application
from relvan.services.open import open_workplace
from relvan.settings import Settings

GOAL_MS = 150
TIMES = int(os.environ.get("RELVAN_BENCH_TIMES", "12"))
OF_A_SHAPE = 2  # pages of one shape that are measured
MOST_NARROWED = 2  # parts of a query at once: lists can be narrowed down in very many ways
LEFT_OUT = re.compile(r"\.(pdf|csv|xlsx|png|webp|svg|css|js)(\?|$)|^/(static|sign-out|api)")


def shape_of(address: str) -> str:
    """Returns the shape of a page: its path without what names one thing, and the names and kinds
    in its query.
    """
    parts = urlsplit(address)
    path = re.sub(r"/[^/]*(\d|[A-Z]{2})[^/]*", "/*", parts.path)
    return path + "?" + "&".join(sorted(key for key, _ in parse_qsl(parts.query)))


def walk(client: TestClient) -> Iterator[str]:
    """Yields the addresses of pages, each of a shape that was met less than twice before."""
    waiting, met, shapes = ["/"], {"/"}, dict[str, int]()
    while waiting:
        address = waiting.pop(0)
        shape, narrowed = shape_of(address), len(parse_qsl(urlsplit(address).query))
        most = OF_A_SHAPE if narrowed < MOST_NARROWED else 1
        if LEFT_OUT.search(address) or narrowed > MOST_NARROWED or shapes.get(shape, 0) >= most:
            continue
        answer = client.get(address)
        if "text/html" not in answer.headers.get("content-type", ""):
            continue
        assert answer.status_code == 200, (address, answer.status_code)
        shapes[shape] = shapes.get(shape, 0) + 1
        yield address
        found = [link.get("href") for link in html.fromstring(answer.text).iter("a")]
        for link in dict.fromkeys(filter(None, found)):
            if link.startswith("/") and link not in met:
                met.add(link)
                waiting.append(link)


def main() -> None:
    """Walks through the pages, measures each, and prints the figures."""
    folder = Path(os.environ.get("RELVAN_BENCH_DATA", "var/demo"))
    if not (folder / "ready").exists():
        sys.exit(f"There is no demo in {folder}: prepare it with `make demo SCALE=100000 FRESH=1`.")
    settings = Settings(data_dir=folder, private_addresses=True, demo=True, _env_file=None)
    place = open_workplace(settings)
    with TestClient(make_application(settings, place)) as client:
        client.post("/sign-in", data={"login": "imogen", "password": "quillmoss-demo"})
        empty = figures(timed(lambda: client.get("/consignments"), TIMES))
        pages = {
            address: figures(timed(lambda address=address: client.get(address), TIMES))
            for address in list(walk(client))
        }
    slowest = dict(sorted(pages.items(), key=lambda one: -one[1]["p95_ms"]))
    over = [address for address, took in slowest.items() if took["p95_ms"] > GOAL_MS]
    figures_of_all = {"goal_ms": GOAL_MS, "pages": len(pages), "over_goal": len(over)}
    report("walk", {**figures_of_all, "floor": {"empty page": empty}, "slowest_first": slowest})


if __name__ == "__main__":
    main()
