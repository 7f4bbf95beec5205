"""What goes into parcels besides the goods: written by the seller, and shown at the pack bench."""

from dataclasses import replace

from relvan.core.orders.intake import Address
from relvan.core.packing.inserts import MOST_INSERTS, Insert, InsertFacts, check_insert
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.setup.countries import country_names
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.bench import BenchLine
from relvan.store.channels import channel_keys, channel_names
from relvan.store.inserts import row_of_insert, rows_of_inserts
from relvan.store.orders import lines_of
from relvan.store.session import Session
from relvan.store.tables import Order, ParcelInsert

SUBJECT = audit.Subject("inserts", 0)


def inserts(session: Session) -> list[Insert]:
    """Returns all inserts in the order in which they were made."""
    return [Insert.read(row.told, row.id) for row in rows_of_inserts(session)]


def insert_of(workplace: Workplace, insert_id: int) -> Insert:
    """Returns an insert by its id."""
    with workplace.database.reading() as session:
        return Insert.read(row_of_insert(session, insert_id).told, insert_id)


def save_insert(workplace: Workplace, actor: Actor, insert: Insert) -> int:
    """Adds an insert, or changes the one with its id; returns the id.

    Raises:
        Refused: if it cannot be.
    """
    actor.must(Right.SETUP)
    insert = replace(insert, name=insert.name.strip())
    with workplace.database.writing() as session:
        known = {key for key, _ in channel_names(session, ended=True)}
        refuse_if_any(check_insert(insert, known, country_names("en")))
        if insert.id:
            row = row_of_insert(session, insert.id)
            row.told = insert.as_dict()
        else:
            if len(rows_of_inserts(session)) >= MOST_INSERTS:
                message = f"There are {MOST_INSERTS} inserts, which is the most."
                raise refuse("too-many", message, "Delete one that is not used.")
            row = ParcelInsert(told=insert.as_dict())
            session.add(row)
        session.flush()
        deed = f"insert “{insert.name}” {'changed' if insert.id else 'created'}"
        audit.record(session, actor, workplace.now(), SUBJECT, deed)
        return row.id


def delete_insert(workplace: Workplace, actor: Actor, insert_id: int) -> None:
    """Deletes an insert. One that is gone already is not found."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        row = row_of_insert(session, insert_id)
        deed = f"insert “{row.told['name']}” deleted"
        session.delete(row)
        audit.record(session, actor, workplace.now(), SUBJECT, deed)


def inserts_for(session: Session, order: Order, lines: list[BenchLine]) -> tuple[Insert, ...]:
    """Returns what goes into a shipment besides its goods; nothing once a parcel of it is closed, for it
    lies in the first one."""
    if not lines or any(line.packed for line in lines):
        return ()
    sold = lines_of(session, [order.id])[order.id]
    price = {line.product_id: line.unit_price for line in sold}
    facts = InsertFacts(
        channel_keys(session).get(order.channel_id or 0, ""),
        Address.read(order.ship_to).country,
        frozenset(line.sku for line in lines),
        sum(price.get(line.product_id, 0) * line.picked for line in lines),
    )
    return tuple(one for one in inserts(session) if one.fits(facts))


def services_of(session: Session, order: Order) -> tuple[tuple[str, int], ...]:
    """Returns what was sold with the goods of an order and is no goods itself, such as gift wrap, as
    (title, units)."""
    return tuple(
        (line.title, line.quantity)
        for line in lines_of(session, [order.id])[order.id]
        if not line.stocked and line.part_of is None and line.quantity
    )
