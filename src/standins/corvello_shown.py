"""Says what Corvello shows of the offers on its pages, to visitors and to sellers."""

from typing import Any

from standins.memory import Memory, loads
from standins.trade import seller_name, times_of


def all_offers(memory: Memory, page: str) -> list[dict[str, Any]]:
    """Returns every offer that buyers see on a page: our seller's and those of rivals."""
    rows = memory.rows(
        "SELECT * FROM listing WHERE channel = 'corvello' AND state = 'live' AND quantity > 0"
        " AND json_extract(data, '$.page') = ?",
        page,
    )
    ours = [
        {
            "stall": seller_name(memory, "corvello"),
            "ref": row["ref"],
            "price": row["price"],
            "shipping": 490,
            "rating": 4.8,
            "ratings": 412,
            "sent_by": loads(row["data"])["sent_by"],
            "quantity": row["quantity"],
        }
        for row in rows
    ]
    shown = memory.row("SELECT gtin_key FROM catalogue_page WHERE ref = ?", page)
    if shown is None or not shown["gtin_key"]:
        return ours
    rivals = memory.rows("SELECT data FROM rival WHERE gtin_key = ? ORDER BY id", shown["gtin_key"])
    return [*ours, *(loads(row["data"]) for row in rivals)]


def front_offers(offers: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Returns the two offers that a page shows first: of those rated 4 and better the two lowest
    with delivery.
    """
    trusted = [offer for offer in offers if offer["rating"] >= 4] or offers
    return sorted(
        trusted, key=lambda offer: (offer["price"] + offer["shipping"], -offer["rating"])
    )[:2]


def as_offer(row: Any, memory: Memory) -> dict[str, Any]:
    """Returns an offer as its seller reads it."""
    data = loads(row["data"])
    page = memory.row("SELECT * FROM catalogue_page WHERE ref = ?", data["page"])
    assert page is not None
    return {
        "offer": row["ref"],
        "code": row["sku"],
        "page": data["page"],
        "title": page["title"],
        "maker": page["brand"],
        "gtin": page["gtin"],
        "price": row["price"],
        "units": row["quantity"],
        "awake": row["state"] == "live",
        "sent_by": data["sent_by"],
        "terms": data["terms"],
        "path": f"/corvello/pages/{data['page']}",
        "pictures": [f"/pictures/{name}" for name in data["pictures"]],
        "text": loads(page["data"])["text"],
        **times_of(row, data),
    }
