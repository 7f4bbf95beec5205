"""Holds steps of tests about updates."""

from relvan.store.listings import listing_by_id


def listing(workplace, listing_id):
    with workplace.database.reading() as session:
        return listing_by_id(session, listing_id)
