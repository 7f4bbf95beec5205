"""Pictures by their addresses on the web. A bulk job of its own fetches them in the background."""

from collections.abc import Sequence

from relvan.core.catalogue.pictures import PictureRole, check_role
from relvan.core.jobs.life import JobState
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.gateways.calling import check_address
from relvan.services.jobs.life import NewJob, open_background_job
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.job_rows import NewRow, add_rows
from relvan.store.session import Session

MOST_ADDRESSES = 30


def fetch_pictures(
    workplace: Workplace,
    actor: Actor,
    sku: str,
    addresses: Sequence[str],
    *,
    role: str = PictureRole.FURTHER,
) -> int:
    """Opens the job that fetches pictures for a product; returns its id. An address that may not be
    called is refused at once."""
    actor.must(Right.CATALOGUE)
    check_role(role)
    if len(addresses) > MOST_ADDRESSES:
        message = (
            f"At most {MOST_ADDRESSES} pictures are fetched at once; these are {len(addresses)}."
        )
        raise refuse(
            "too-many",
            message,
            "Send them in several goes, or bring in a file of pictures.",
            "addresses",
        )
    for address in addresses:
        check_address(
            address.partition("?")[0], private_allowed=workplace.settings.private_addresses
        )
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        title = f"Fetch {len(addresses)} {'picture' if len(addresses) == 1 else 'pictures'} for {product.sku}"
        wanted = [(product.sku, address) for address in addresses]
        return open_fetching(session, workplace, actor, title, wanted, role=role)


def open_fetching(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    title: str,
    wanted: Sequence[tuple[str, str]],
    *,
    role: str = PictureRole.FURTHER,
) -> int:
    """Opens a job that fetches pictures for products, given as (SKU, address); returns its id."""
    spec = {"kind": "pictures"}
    wish = NewJob("fetch", title, JobState.APPLYING, spec)
    job = open_background_job(session, workplace, actor, wish)
    job.total = len(wanted)
    rows = [
        NewRow(n, sku, "changes", change={"picture": [None, address], "role": [None, role]})
        for n, (sku, address) in enumerate(wanted, 1)
    ]
    add_rows(session, job.id, rows)
    return job.id
