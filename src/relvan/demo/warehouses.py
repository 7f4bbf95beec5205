"""Creates the warehouses of Quillmoss with their bins."""

from relvan.core.setup.bins import written_out
from relvan.demo.plan import SENDER
from relvan.services.setup.bins import add_bins, close_bin
from relvan.services.setup.warehouses import FLOOR, add_warehouse
from relvan.services.workplace import Actor, Workplace

PICK_UP = {"days": [0, 1, 2, 3, 4], "cut_off": "16:00"}


def make_warehouse(workplace: Workplace, owner: Actor, key: str, name: str, pattern: str) -> None:
    """Creates a warehouse with the bins that a pattern stands for."""
    wish = {"key": key, "name": name, "address": SENDER, "pick_up": PICK_UP}
    add_warehouse(workplace, owner, wish)
    add_bins(workplace, owner, key, written_out(pattern))
    close_bin(workplace, owner, key, FLOOR)
