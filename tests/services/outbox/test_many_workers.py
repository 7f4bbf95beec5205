"""Several workers at one outbox: each update goes out once, whoever takes it."""

import threading
from collections import Counter

from sqlalchemy import select

from relvan.services.outbox.deliver import deliver_next, reclaim
from relvan.store.channels import channel_by_key
from relvan.store.tables import OutboxEntry
from tests.house import add_pot, assert_sound, channel_ids, connect, count, list_everywhere

SKUS = [f"PW-{n:02}" for n in range(24)]


def test_four_workers_at_the_same_channel_send_nothing_twice(workplace, owner, world, monkeypatch):
    connect(workplace, owner, world, "ownshop")
    for sku in SKUS:
        add_pot(workplace, owner, sku, units=9)
    list_everywhere(workplace, owner, *SKUS)
    for number, sku in enumerate(SKUS):
        count(workplace, owner, sku, number)
    (channel_id,) = channel_ids(workplace).values()
    with workplace.database.reading() as session:
        gateway = workplace.gateway(channel_by_key(session, "ownshop"))
    sent, whole = Counter(), gateway.set_quantities

    def noting(rows):
        sent.update(ref for ref, _ in rows)
        return whole(rows)

    monkeypatch.setattr(gateway, "set_quantities", noting)
    monkeypatch.setattr("relvan.services.outbox.deliver._rows_at_once", lambda *_: 3)
    gate = threading.Barrier(4)

    def work(name):
        gate.wait(10)
        while deliver_next(workplace, channel_id, name).sent:
            pass

    workers = [threading.Thread(target=work, args=(f"worker-{n}",)) for n in range(4)]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join(60)
    assert {sku: row["quantity"] for sku, row in world.listings("ownshop").items()} == {
        sku: number for number, sku in enumerate(SKUS)
    }
    assert len(sent) == len(SKUS) - 1  # one shows nine already
    assert set(sent.values()) == {1}
    assert_sound(workplace)


def test_one_worker_takes_back_its_own_and_no_other_s(workplace, owner, world):
    connect(workplace, owner, world, "ownshop")
    add_pot(workplace, owner, "PT-14", units=9)
    list_everywhere(workplace, owner, "PT-14")
    count(workplace, owner, "PT-14", 4)
    with workplace.database.writing() as session:
        entry = session.scalars(select(OutboxEntry).where(OutboxEntry.state == "waiting")).one()
        entry.state, entry.taken_by, entry.taken_until = "sending", "anvil", workplace.now()
    assert reclaim(workplace, "bellows") == 0
    assert reclaim(workplace, "anvil") == 1
