"""Creates the warehouses of Quillmoss with their bins."""

from typing import Any

from relvan.core.packing.inserts import Insert
from relvan.core.setup.bins import written_out
from relvan.demo.plan import SENDER
from relvan.services.packing.cartons import save_carton
from relvan.services.packing.inserts import save_insert
from relvan.services.setup.bins import add_bins, close_bin
from relvan.services.setup.floor import plan_from_bins, set_plan
from relvan.services.setup.warehouses import FLOOR, add_warehouse
from relvan.services.shipping.layouts import LayoutWish, add_layout
from relvan.services.shipping.manifests import make_manifest
from relvan.services.workplace import Actor, Workplace
from relvan.store.manifests import to_hand_over

PICK_UP = {"days": [0, 1, 2, 3, 4], "cut_off": "16:00"}


# the halls of the two own warehouses: their aisles, with cross aisles where people may turn
PLANS: dict[str, dict[str, Any]] = {
    "millrace": {"bay_m": 2.4, "aisle_pitch_m": 4.5, "cross_off_m": 1.5, "cross_aisles": [9.9]},
    "yard": {"bay_m": 2.5, "aisle_pitch_m": 6.0, "cross_off_m": 2.0},
}


def make_warehouse(workplace: Workplace, owner: Actor, key: str, name: str, pattern: str) -> None:
    """Creates a warehouse with the bins that a pattern stands for, and their plan."""
    wish = {"key": key, "name": name, "address": SENDER, "pick_up": PICK_UP}
    add_warehouse(workplace, owner, wish)
    add_bins(workplace, owner, key, written_out(pattern))
    close_bin(workplace, owner, key, FLOOR)
    proposed = plan_from_bins(workplace, key)
    if key in PLANS and proposed is not None:
        set_plan(workplace, owner, key, {**proposed.as_dict(), **PLANS[key]})


# code, name, inner lengths in mm, own weight and the most it may weigh in g, cost in cents
CARTONS = (
    ("BX-S", "Small carton", (240, 170, 110), 110, 5_000, 455),
    ("BX-M", "Middle carton", (320, 240, 180), 210, 12_000, 560),
    ("BX-L", "Large carton", (420, 320, 260), 390, 20_000, 790),
    ("BX-XL", "Extra large carton", (600, 400, 380), 720, 31_000, 1_290),
    ("BX-FLAT", "Flat carton", (350, 250, 60), 120, 4_000, 420),
)


def make_cartons(workplace: Workplace, owner: Actor) -> None:
    """Creates the cartons of the pack bench."""
    for code, name, (long, wide, high), weight, most, cost in CARTONS:
        facts = {
            "name": name,
            "length_mm": long,
            "width_mm": wide,
            "height_mm": high,
            "weight_g": weight,
            "max_weight_g": most,
            "cost": cost,
            "used": True,
        }
        save_carton(workplace, owner, code, facts)


GIFT_SLIP = """<div class="top">
  <div>{{ firm.logo }}</div>
  <div>{{ barcode.shipment }}</div>
</div>
<h1>For {{ customer.name }}</h1>
<p>Made by hand in {{ firm.town }}, and packed with care. Your order {{ order.number }} holds:</p>
<table>
  {% for line in lines %}
    <tr><td class="right big">{{ line.quantity }}</td><td class="big">{{ line.title }}</td></tr>
  {% endfor %}
</table>
"""
INSERTS = (
    Insert("Leaflet: the care of glazed pots", 12, skus=("PT-14-CEL", "PT-14-RUS", "PT-24-RUS")),
    Insert("A card of thanks", 8, channels=("none", "ownshop")),
    Insert("Seed tin of the season, as a gift", 40, least_value=6_000),
)


def make_layouts(workplace: Workplace, owner: Actor) -> None:
    """Makes a packing slip of the seller's own for the own shop."""
    wish = LayoutWish("Gift slip", "A5", "ownshop", GIFT_SLIP)
    add_layout(workplace, owner, "packing slip", wish)


def make_inserts(workplace: Workplace, owner: Actor) -> None:
    """Says what goes into parcels besides the goods."""
    for insert in INSERTS:
        save_insert(workplace, owner, insert)


def hand_over_what_left(workplace: Workplace, owner: Actor) -> None:
    """Makes the manifests of what carriers have taken from Millrace."""
    with workplace.database.reading() as session:
        waiting = to_hand_over(session)
    for carrier, _, warehouse, _, _ in waiting:
        if warehouse == "millrace":
            make_manifest(workplace, owner, carrier, warehouse)
