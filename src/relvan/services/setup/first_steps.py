"""The first steps of a firm: which are done follows from what is there; one may be skipped."""

from relvan.core.people.roles import Right
from relvan.core.refusal import not_found
from relvan.core.setup.firm import Firm
from relvan.core.setup.first_steps import FirstStep, StepState, first_steps
from relvan.services.workplace import Actor, Workplace
from relvan.store.session import Session
from relvan.store.setup import firm_of, keep_firm, keep_skipped, skipped_steps, what_is_there


def steps_of(session: Session) -> tuple[list[StepState], bool]:
    """Returns every first step with its state, and whether the firm is new: nothing is listed
    and nothing was sold.
    """
    there = what_is_there(session)
    done = {
        FirstStep.FIRM: there.named,
        FirstStep.WAREHOUSE: there.warehouse,
        FirstStep.PRICE_LIST: there.price_list,
        FirstStep.CHANNEL: there.channel,
        FirstStep.PRODUCTS: there.product,
        FirstStep.STOCK: there.stock,
        FirstStep.CARRIER: there.carrier,
    }
    states = first_steps(
        {step for step, is_done in done.items() if is_done}, skipped_steps(session)
    )
    return states, not there.listing and not there.order


def skip_step(workplace: Workplace, actor: Actor, step: str, *, skip: bool = True) -> None:
    """Skips a first step, or takes it back into the list."""
    actor.must(Right.SETUP)
    if step not in set(FirstStep):
        raise not_found("first step", step[:30])
    with workplace.database.writing() as session:
        if firm_of(session) is None:
            keep_firm(session, Firm())
        kept = [name for name in skipped_steps(session) if name != step]
        keep_skipped(session, [*kept, step] if skip else kept)
