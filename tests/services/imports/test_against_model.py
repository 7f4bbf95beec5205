"""Tests files, changes by hand and undo in any order, beside a plain model of what should come of
them."""

import tempfile
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    initialize,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)

from relvan.core.catalogue.identity import sku_key
from relvan.core.people.roles import Role
from relvan.services.catalogue.save import change_facts
from relvan.services.jobs.life import move_job
from relvan.services.open import open_workplace
from relvan.services.workplace import Actor
from relvan.settings import Settings
from relvan.store.facts import codes, facts_by_id
from relvan.store.job_rows import job_verdicts
from tests.house import assert_sound, work
from tests.steps.imports import rehearse

OWNER = Actor(1, "Owner", Role.OWNER, "hand")
SKUS = ["PT-1", "PT-2", "pt-3", "Töpfe/4"]
# fact -> its heading in a file, how a value is written there, and values it may take
COLUMNS = {
    "title": ("title", str, ["Pot", "Bowl “wide”", "Töpfchen"]),
    "brand": ("brand", str, ["Quillmoss", "Tarn"]),
    "weight_g": ("weight g", str, [1, 700, 1250]),
    "cost": ("cost", lambda amount: f"{amount / 100:.2f}", [0, 520, 1999]),
    "price retail": ("price: retail", lambda amount: f"{amount / 100:.2f}", [1690, 2490]),
    "minimum_order": ("minimum order", str, [1, 6]),
}
facts_said = st.fixed_dictionaries(
    {},
    optional={
        name: st.none() | st.sampled_from(values) for name, (_, _, values) in COLUMNS.items()
    },
)
file_rows = st.lists(st.tuples(st.sampled_from(SKUS), facts_said), min_size=1, max_size=6)


def as_csv(rows):
    """Returns the rows as a file with a column for every fact that any of them names."""
    names = [name for name in COLUMNS if any(name in said for _, said in rows)]
    lines = [";".join(["sku", "title" if not names else "", *(COLUMNS[name][0] for name in names)])]
    for sku, said in rows:
        cells = ["" if said.get(name) is None else COLUMNS[name][1](said[name]) for name in names]
        lines.append(";".join([sku.upper(), "", *cells]))
    return "\n".join(lines) + "\n"


class Catalogue(RuleBasedStateMachine):
    """The catalogue and a dictionary that should say the same."""

    furnished: Settings
    houses: Any

    @initialize()
    def open(self):
        folder = Path(tempfile.mkdtemp(dir="/dev/shm" if Path("/dev/shm").is_dir() else None))
        self.house = self.houses.copy(self.furnished, folder / "data")
        self.workplace = open_workplace(self.house)
        self.model, self.jobs = {}, []

    def teardown(self):
        if hasattr(self, "workplace"):
            assert_sound(self.workplace)
            self.workplace.close()
            self.houses.drop(self.house)
            self.house.data_dir.parent.rmdir()

    def move(self, job, event):
        move_job(self.workplace, OWNER, job, event)
        work(self.workplace)

    @rule(rows=file_rows)
    def bring_in(self, rows):
        job, found = rehearse(self.workplace, OWNER, "products", as_csv(rows))
        before, seen, changes, expected = dict(self.model), set(), {}, []
        for sku, said in rows:
            key = sku_key(sku)
            if key in seen:
                expected.append("refused")
                continue
            seen.add(key)
            held = before.get(key)
            said = {name: value for name, value in said.items() if value is not None}
            wanted = {**(held or {"title": sku.upper()}), **said}
            wanted.pop("archived", None)  # naming a product takes it out of the archive
            expected.append("new" if held is None else "same" if wanted == held else "changes")
            if wanted != held:
                changes[key] = (held, wanted)
        assert [row[2] for row in found] == expected
        self.move(job, "apply")
        for key, (_, wanted) in changes.items():
            self.model[key] = wanted
        self.jobs.append((job, changes))

    @precondition(lambda self: self.model)
    @rule(data=st.data(), said=facts_said)
    def change_by_hand(self, data, said):
        key = data.draw(st.sampled_from(sorted(self.model)))
        said = {name: value for name, value in said.items() if name != "title" or value is not None}
        [verdict] = change_facts(self.workplace, OWNER, [(key, said)])
        assert verdict.ok
        kept = {**self.model[key], **said}
        self.model[key] = {name: value for name, value in kept.items() if value is not None}

    @precondition(lambda self: self.jobs)
    @rule(data=st.data())
    def take_back(self, data):
        job, changes = self.jobs.pop(data.draw(st.integers(0, len(self.jobs) - 1)))
        self.move(job, "undo")
        with self.workplace.database.reading() as session:
            found = {
                sku_key(row.subject): row.verdict
                for row in job_verdicts(session, job)
                if row.change
            }
        for key, (old, new) in changes.items():
            now = self.model[key]
            if old is None:
                self.model[key] = {**now, "archived": True}
                assert found[key] == "taken back"
                continue
            touched = {name for name in {*old, *new} if old.get(name) != new.get(name)}
            if all(now.get(name) == new.get(name) for name in touched):
                back = {**now, **{name: old.get(name) for name in touched}}
                self.model[key] = {name: value for name, value in back.items() if value is not None}
                assert found[key] == "taken back"
            else:
                assert found[key] == "not taken back"

    @invariant()
    def the_catalogue_says_what_the_model_says(self):
        if not hasattr(self, "workplace"):
            return
        with self.workplace.database.reading() as session:
            ids = {key: found[0] for key, found in codes(session, SKUS).items()}
            facts = facts_by_id(session, ids.values())
        names = {*COLUMNS, "archived"}
        there = {key: {n: v for n, v in facts[i].items() if n in names} for key, i in ids.items()}
        assert there == self.model


@pytest.mark.parametrize("steps", [4, 12])
def test_files_hands_and_undo_in_any_order_do_what_a_plain_model_does(furnished, houses, steps):
    machine = type("Furnished", (Catalogue,), {"furnished": furnished, "houses": houses})
    run_state_machine_as_test(
        machine,
        settings=settings(
            max_examples=15,
            stateful_step_count=steps,
            deadline=None,
            database=None,
            suppress_health_check=list(HealthCheck),
        ),
    )
