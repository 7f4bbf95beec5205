"""Product list, order list, order page and search with 100,000 products and 100,000 orders.

Beside each: the floor of an empty page of the same application, the raw query of fifty rows, and a
bare page: fifty rows of twelve columns, written by a plain template after one raw query, in an
application that does nothing else.
"""

import sqlite3
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import HTMLResponse
from fastapi.testclient import TestClient
from jinja2 import Environment
from sqlalchemy import event

from ground import figures, new_workplace, report, temporary, timed
from relvan.application import make_application
from relvan.demo.scale import add_many

PRODUCTS = ORDERS = 100_000
TIMES = 60
PAGES = {
    "product list": "/catalogue",
    "product list, page from the middle": "/catalogue?after=bulk-0050000",
    "product list, in a category with stock": "/catalogue?category=Pots&stock=yes",
    "product list, not on a channel": "/catalogue?not_on=ownshop",
    "search, two words": "/catalogue?q=fern+pot",
    "search, one letter": "/catalogue?q=p",
    "search, a SKU": "/catalogue?q=bulk-0077",
    "listing list": "/listings",
    "listing list, drafts": "/listings?state=draft",
    "stock list": "/stock",
    "order list": "/orders",
    "order list, by customer": "/orders?q=fern",
    "order list, a tray": "/orders?tray=closed",
    "order page": "/orders/B-50000",
    "product page": "/products/BULK-0050000",
    "command box": "/find?q=BULK-00500",
    "today": "/",
}
RAW = {
    "product list": "SELECT * FROM product WHERE archived_at IS NULL AND sku_key > '' ORDER BY sku_key LIMIT 51",
    "order list": "SELECT * FROM customer_order ORDER BY id DESC LIMIT 51",
    "order page": "SELECT * FROM customer_order WHERE number = 'B-50000'",
}


BARE = """<table>{% for row in rows %}<tr>{% for value in row %}<td>{{ value }}</td>{% endfor %}</tr>{% endfor %}
</table>"""
TWELVE = (
    "SELECT id, sku, title, kind, category, brand, coalesce(gtin, ''), weight_g, cost, floor, tax_code, changed_at"
    " FROM product WHERE archived_at IS NULL AND sku_key > '' ORDER BY sku_key LIMIT 50"
)


def bare_page(path: Path) -> list[float]:
    """Returns the seconds of each call of the floor that floors.md names: a page of 50 rows of 12
    columns and nothing else.
    """
    template = Environment(autoescape=True).from_string(BARE)
    raw = sqlite3.connect(path, check_same_thread=False)
    app = FastAPI()

    @app.get("/")
    def page() -> HTMLResponse:
        return HTMLResponse(template.render(rows=raw.execute(TWELVE).fetchall()))

    with TestClient(app) as client:
        client.get("/")
        samples = timed(lambda: client.get("/"), TIMES)
    raw.close()
    return samples


def main() -> None:
    """Fills the shop, measures, and prints the figures."""
    with temporary() as folder:
        workplace = new_workplace(folder)
        add_many(workplace.database, PRODUCTS, orders=ORDERS)
        with workplace.database.writing() as session:
            session.connection().exec_driver_sql("ANALYZE")
        app = make_application(workplace.settings, workplace)
        with TestClient(app) as client:
            client.post("/sign-in", data={"login": "owner", "password": "a good password"})
            seen: list[str] = []
            engine = workplace.database.engine
            event.listen(engine, "before_cursor_execute", lambda *call: seen.append(call[2]))
            empty = timed(lambda: client.get("/healthz"), TIMES)
            frame = timed(lambda: client.get("/consignments"), TIMES)
            pages = {}
            for name, path in PAGES.items():
                assert client.get(path).status_code == 200, path
                seen.clear()
                samples = timed(lambda path=path: client.get(path), TIMES)
                queries = len([text for text in seen if not text.startswith("BEGIN")])
                pages[name] = {**figures(samples), "queries": queries // TIMES}
        bare = figures(bare_page(workplace.database.path))
        raw = sqlite3.connect(workplace.database.path)
        floors = {
            name: figures(timed(lambda q=q: raw.execute(q).fetchall(), 200))
            for name, q in RAW.items()
        }
        raw.close()
    floor = {
        "bare page of 50 x 12": bare,
        "empty answer": figures(empty),
        "empty page in the frame": figures(frame),
        "raw query": floors,
    }
    for page in pages.values():
        page["of_bare_page"] = {"p50": round(page["p50_ms"] / bare["p50_ms"], 1)}
        page["of_bare_page"]["p95"] = round(page["p95_ms"] / bare["p95_ms"], 1)
    report("pages", {"products": PRODUCTS, "orders": ORDERS, "floor": floor, "pages": pages})


if __name__ == "__main__":
    main()
