"""Holds the words and tones of the screens for keys such as stages, reasons, roles and states."""

from collections.abc import Mapping

from relvan.core.jobs.life import JobVerdict
from relvan.core.orders.late_changes import LateChoice
from relvan.core.orders.returns import ReturnTo

# the tone of a state: what is wrong, what wants a look, what is well
TONES = {
    "refused": "brick",
    "in trouble": "brick",
    "behind": "ochre",
    "paused": "ochre",
    "live": "pine",
    "healthy": "pine",
}

# the choices about a change of the channel that came too late: their buttons, what they lead to, and
# what was done
LATE_CHOICES = {
    LateChoice.PUT_BACK: (
        "They are put back",
        "The picked units lie in their bins again and are free.",
    ),
    LateChoice.TAKE_OFF: (
        "Take them off now",
        "Their picks are taken back; what of them is invoiced is credited.",
    ),
    LateChoice.RECALL: (
        "Expect them back",
        "A return is noted. What was paid for them is given back from it once they have come.",
    ),
    LateChoice.REFUND: (
        "Give back what was paid",
        "The goods stay with the buyer and are written off.",
    ),
    LateChoice.LET_GO: (
        "Let it go",
        "What was sold stays sold, as if the channel had changed nothing.",
    ),
}
LATE_DONE = {
    LateChoice.SEEN: "The notice is gone.",
    LateChoice.PUT_BACK: "What was picked lies in its bins again.",
    LateChoice.TAKE_OFF: "The units are taken off.",
    LateChoice.RECALL: "A return waits for the goods.",
    LateChoice.REFUND: "What was paid for the goods is given back.",
    LateChoice.LET_GO: "What has left stays sold.",
}

STAGES = {
    "to pick": "Shipments to pick",
    "picking": "Shipments being picked",
    "to pack": "Shipments to pack",
    "to ship": "Shipments to label and send",
    "to hand over": "Shipments to hand over to a centre",
    "handed over": "Shipments that a centre has",
    "dispatched": "Shipments that left",
}

EMPTY_STAGES = {
    "to pick": "Orders that are released come here to be picked.",
    "picking": "No pick list is open.",
    "to pack": "What has been picked comes here to be packed.",
    "to ship": "What has been packed comes here to get its label.",
    "to hand over": "Released orders that a marketplace's centre sends wait here to be handed over.",
    "handed over": "No centre has a shipment of ours.",
    "dispatched": "Nothing has left yet.",
}

# where returned units go
RETURN_PLACES = {
    ReturnTo.STOCK: "into stock",
    ReturnTo.BLOCKED: "blocked, not sellable",
    ReturnTo.WRITTEN_OFF: "written off",
}

JOB_WORK = {
    "reading": "Rehearsing",
    "applying": "Applying",
    "undoing": "Undoing",
    "running": "Running",
}

REASONS = {
    "receipt": "Receipt: units came in",
    "count": "Count: this many lie there",
    "return": "Return: units came back",
    "write-off": "Write-off: units are gone",
    "block": "Block: units must not be sold",
    "unblock": "Unblock: units may be sold again",
    "opening": "Opening: first stock",
}

ROLES = {
    "owner": "Owner: may do everything",
    "catalogue": "Catalogue: products, listings, prices",
    "orders": "Orders: orders, stock, dispatch",
    "warehouse": "Warehouse: picking, packing, stock",
}

# files of products that can be taken out, with what each holds
PRODUCT_FILES = {
    "products": "Products",
    "families": "Families",
    "kits": "Kits",
    "aliases": "Aliases",
    "prices": "Prices",
    "stock-counts": "Stock counts",
    "pictures": "Pictures",
    "attributes": "Attributes",
}

# hints of fields that hold braces, which a template would take for its own
HINTS = {
    "sku_pattern": "{Glaze} is a value, {Glaze:3} its first three letters, {#} a running number: PT-{Size:2}-{Glaze:3}",
    "title_pattern": "Such as: Aubrey pot, {Glaze}, {Size}",
}

# samples of places in a text, as a person types them
SAMPLES = {
    "field": "{{ product.title }}",
    "attribute": "{{ attributes.glaze }}",
    "choice": "{% if attributes.glaze %} in {{ attributes.glaze }}{% endif %}",
}

# verdicts on rows that are kept by another word
VERDICTS: Mapping[str, str] = {JobVerdict.UNDONE: "undone", JobVerdict.NOT_UNDONE: "not undone"}

WORDS: Mapping[str, Mapping[str, str]] = {
    "stage": STAGES,
    "empty_stage": EMPTY_STAGES,
    "job": JOB_WORK,
    "reason": REASONS,
    "role": ROLES,
    "hint": HINTS,
    "sample": SAMPLES,
    "verdict": VERDICTS,
}


def tone_of(state: str) -> str:
    """Returns the tone of a state of a listing or a channel, as a class of the style sheet."""
    return TONES.get(state, "")


def error_title(status: int) -> str:
    """Returns the heading of a page that tells an error, by its HTTP status."""
    known = {404: "Not found", 403: "Not allowed"}
    return known.get(status, "Something broke" if status >= 500 else "Not done")
