"""Creates a new product with its first stock; both are saved or neither."""

from dataclasses import dataclass

from relvan.core.catalogue.product import STOCKED, ProductDraft
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.stock.movements import Reason
from relvan.services.catalogue.save import create_in
from relvan.services.stock.move import MoveStock, move_in, note_movements
from relvan.services.workplace import Actor, Workplace


@dataclass(frozen=True)
class FirstStock:
    """Units that a new product has in a warehouse; without a bin, in its first one."""

    units: int
    warehouse: str
    bin: str = ""


def create_with_stock(
    workplace: Workplace, actor: Actor, draft: ProductDraft, first: FirstStock | None
) -> str:
    """Saves a new product and its stock; returns its SKU.

    Raises:
        Refused: with all that is wrong with the draft; if the warehouse or the bin does not exist;
        if the role may not move stock, or the kind has none.
    """
    actor.must(Right.CATALOGUE)
    if first is not None:
        actor.must(Right.STOCK)
        if draft.kind not in STOCKED:
            raise refuse(
                "not-stocked",
                f"A {draft.kind} holds no stock of its own.",
                "Leave the units empty.",
                "units",
            )
    with workplace.database.writing() as session:
        create_in(session, workplace, actor, draft)
        if first is not None:
            wish = MoveStock(
                draft.sku, first.warehouse, Reason.OPENING, change=first.units, bin=first.bin
            )
            movement = move_in(session, workplace, actor, wish)
            note_movements(session, workplace, [movement.product_id])
    return draft.sku
