"""The firm and its numbers."""

import pytest

from relvan.core.refusal import NotAllowed, Refused
from relvan.core.setup.first_steps import FirstStep
from relvan.services.setup.firm import change_firm, change_series, number_series
from relvan.services.setup.first_steps import skip_step, steps_of
from relvan.services.workplace import SYSTEM
from relvan.store.setup import firm_of
from tests.house import add_pot
from tests.steps.orders import take


def open_steps(workplace):
    with workplace.database.reading() as session:
        steps, _ = steps_of(session)
    return [one.step for one in steps if one.is_open]


def test_what_is_saved_holds_for_everybody_at_once(workplace, owner):
    assert workplace.firm.name == ""
    change_firm(workplace, owner, {"name": "Quillmoss", "locale": "de_DE"})
    assert (workplace.firm.name, workplace.firm.locale) == ("Quillmoss", "de_DE")
    with workplace.database.reading() as session:
        assert firm_of(session) == workplace.firm


def test_a_refused_change_changes_nothing(workplace, owner, picker):
    with pytest.raises(Refused):
        change_firm(workplace, owner, {"name": "Quillmoss", "vat_number": "DE123456789"})
    with pytest.raises(NotAllowed):
        change_firm(workplace, picker, {"name": "Mine"})
    with workplace.database.reading() as session:
        assert firm_of(session) is None


def test_the_currency_stays_once_anything_is_kept_in_it(workplace, owner):
    change_firm(workplace, owner, {"currency": "CHF"})
    change_firm(workplace, owner, {"currency": "EUR"})
    add_pot(workplace, owner, "PT-14", units=0)
    with pytest.raises(Refused) as refused:
        change_firm(workplace, owner, {"currency": "CHF"})
    assert (refused.value.first.code, refused.value.first.field) == ("in-use", "currency")
    assert workplace.firm.currency == "EUR"


def test_orders_are_numbered_as_the_firm_writes_them(workplace, owner):
    add_pot(workplace, owner, "PT-14")
    assert take(workplace, owner, ("PT-14", 1)) == "O-1001"
    change_series(workplace, owner, {"order": ("Q-{year}-{number:06}", 5000)})
    year = workplace.local_now().year
    assert take(workplace, owner, ("PT-14", 1)) == f"Q-{year}-005000"
    assert {one.name: one.preview for one in number_series(workplace)} == {
        "order": f"Q-{year}-005001",
        "shipment": "S-1001",
        "pick list": "L-1001",
        "invoice": "I-1001",
        "credit note": "C-1001",
        "customer": "K-1001",
        "estimate": "E-1001",
        "return": "R-1001",
        "manifest": "M-1001",
    }


@pytest.mark.parametrize(
    ("name", "pattern", "following", "field"),
    [
        ("order", "O-{number}", 1000, "order next"),
        ("order", "O-", None, "order pattern"),
        ("shipment", "{number}{year}", None, "shipment pattern"),
        ("wish list", "W-{number}", None, "number_series"),
    ],
)
def test_a_series_never_goes_back_and_keeps_its_number(
    workplace, owner, name, pattern, following, field
):
    before = number_series(workplace)
    with pytest.raises(Refused) as refused:
        change_series(
            workplace, owner, {"pick list": ("P-{number}", None), name: (pattern, following)}
        )
    assert refused.value.first.field == field
    assert number_series(workplace) == before


def test_a_step_is_ticked_by_what_is_true(bare):
    assert open_steps(bare) == list(FirstStep)
    change_firm(bare, SYSTEM, {"name": "Quillmoss"})
    skip_step(bare, SYSTEM, "carrier")
    assert FirstStep.FIRM not in open_steps(bare)
    assert FirstStep.CARRIER not in open_steps(bare)
    skip_step(bare, SYSTEM, "carrier", skip=False)
    assert FirstStep.CARRIER in open_steps(bare)
    change_firm(bare, SYSTEM, {"name": ""})
    assert FirstStep.FIRM in open_steps(bare)
    with pytest.raises(Refused):
        skip_step(bare, SYSTEM, "lunch")
