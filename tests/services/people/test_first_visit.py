"""The first visit: whoever has the code makes the owner's account, once."""

from concurrent.futures import ThreadPoolExecutor

import pytest

from relvan.core.people.roles import Role
from relvan.core.refusal import Refused
from relvan.services.people.first_visit import begin_first_visit, is_first_visit, make_owner
from relvan.services.people.sign_in import NewPerson, sign_in
from relvan.store.people import active_people

ADA = NewPerson("ada", "Ada", Role.OWNER, "a good password")


def people(workplace):
    with workplace.database.reading() as session:
        return [(person.login, person.role) for person in active_people(session)]


def refused_with(workplace, code, wish=ADA):
    with pytest.raises(Refused) as refused:
        make_owner(workplace, code, wish, "1.2.3.4")
    return refused.value.first.code


def test_the_code_makes_one_owner_and_no_second(bare):
    code = begin_first_visit(bare)
    assert is_first_visit(bare)
    make_owner(bare, code.lower().replace("-", " "), ADA, "1.2.3.4")
    assert people(bare) == [("ada", Role.OWNER)]
    assert sign_in(bare, "ada", "a good password", "1.2.3.4").cookie
    assert not is_first_visit(bare)
    assert refused_with(bare, code, NewPerson("eve", "Eve", Role.OWNER, "a good password")) == (
        "taken"
    )
    assert begin_first_visit(bare) == ""


def test_a_new_start_ends_the_code_before(bare):
    first, second = begin_first_visit(bare), begin_first_visit(bare)
    assert first != second
    assert refused_with(bare, first) == "code"
    make_owner(bare, second, ADA, "1.2.3.4")


def test_without_a_start_no_code_is_right(bare):
    for code in ("", "AAAA-AAAA-AAAA-AAAA"):
        assert refused_with(bare, code) == "code"
    assert people(bare) == []


def test_guessing_is_slowed_also_for_the_right_code(bare):
    code = begin_first_visit(bare)
    assert [refused_with(bare, f"AAAA-{n}") for n in range(5)] == ["code"] * 5
    assert refused_with(bare, code) == "too-many-guesses"
    bare.now.move(minutes=16)
    make_owner(bare, code, ADA, "1.2.3.4")


def test_a_wrong_form_keeps_the_code_good(bare):
    code = begin_first_visit(bare)
    assert refused_with(bare, code, NewPerson("ada", "Ada", Role.OWNER, "short")) == "password"
    assert refused_with(bare, code, NewPerson("a b", "Ada", Role.OWNER, ADA.password)) == "form"
    assert refused_with(bare, code, NewPerson("ada", " ", Role.OWNER, ADA.password)) == "missing"
    make_owner(bare, code, ADA, "1.2.3.4")


def test_of_several_who_send_the_code_at_once_one_becomes_the_owner(bare):
    code = begin_first_visit(bare)

    def race(number):
        wish = NewPerson(f"racer{number}", "Racer", Role.OWNER, "a good password")
        try:
            make_owner(bare, code, wish, "1.2.3.4")
        except Refused:
            return False
        return True

    with ThreadPoolExecutor(4) as racers:
        won = list(racers.map(race, range(4)))
    assert won.count(True) == 1
    assert people(bare) == [(f"racer{won.index(True)}", Role.OWNER)]
