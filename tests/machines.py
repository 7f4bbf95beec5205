"""State machines whose every run begins with a shop of its own, so that no run sees what another
has left."""

import tempfile
from pathlib import Path

from hypothesis import HealthCheck, settings
from hypothesis.stateful import RuleBasedStateMachine, initialize, run_state_machine_as_test

from relvan.services.open import open_workplace


class OnACopy(RuleBasedStateMachine):
    """Works at `place`, a copy of the shop that was built, for `owner`."""

    built = houses = owner = None

    @initialize()
    def open(self):
        self.folder = Path(tempfile.mkdtemp(dir="/dev/shm" if Path("/dev/shm").is_dir() else None))
        self.house = self.houses.copy(self.built, self.folder / "data")
        self.place = open_workplace(self.house)
        self.begin()

    def begin(self):
        """Returns what a run needs beside its shop."""

    def teardown(self):
        if hasattr(self, "place"):
            self.place.close()
            self.houses.drop(self.house)
            self.folder.rmdir()


def run_on_copies(machine, shop, owner, houses, *, runs, steps):
    """Run a machine on copies of a shop."""
    shop.database.close()
    run_state_machine_as_test(
        type("Here", (machine,), {"built": shop.settings, "houses": houses, "owner": owner}),
        settings=settings(
            max_examples=runs,
            stateful_step_count=steps,
            deadline=None,
            database=None,
            suppress_health_check=list(HealthCheck),
        ),
    )
