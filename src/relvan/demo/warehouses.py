"""Creates the warehouses of Quillmoss with their bins."""

from sqlalchemy.orm import Session

from relvan.demo.plan import SENDER
from relvan.store.tables import Bin, Warehouse


def make_warehouse(session: Session, key: str, name: str, codes: list[str]) -> None:
    """Creates a warehouse with bins of these codes, in the order in which one walks past them."""
    warehouse = Warehouse(key=key, name=name, address=SENDER)
    session.add(warehouse)
    session.flush()
    for walk, code in enumerate(codes, 1):
        session.add(Bin(warehouse_id=warehouse.id, code=code, walk=walk))
