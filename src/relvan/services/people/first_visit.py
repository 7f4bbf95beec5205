"""The first visit: while nobody works here, whoever has the code that the command printed makes the
owner's account.
"""

import hmac
import secrets

from relvan.core.refusal import Refused, refuse
from relvan.services.people.sign_in import (
    NewPerson,
    add_person_in,
    give_guess_back,
    passwords,
    take_guess,
    token_hash,
)
from relvan.services.workplace import SYSTEM, Workplace
from relvan.store.session import Session
from relvan.store.setup import first_visit_hash, is_nobody_there, keep_first_visit

LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"  # none that are taken for one another
GROUPS, IN_GROUP = 4, 4
GUESS_NAME = "the first visit"


def begin_first_visit(workplace: Workplace) -> str:
    """Returns a new code while nobody works here, else nothing; the code before it ends."""
    with workplace.database.writing() as session:
        if not is_nobody_there(session):
            return ""
        code = "-".join(
            "".join(secrets.choice(LETTERS) for _ in range(IN_GROUP)) for _ in range(GROUPS)
        )
        made = {"code_hash": token_hash(_tidy(code)), "made_at": workplace.now()}
        keep_first_visit(session, made)
        return code


def is_first_visit(workplace: Workplace) -> bool:
    """Says whether nobody works here as yet."""
    with workplace.database.reading() as session:
        return is_nobody_there(session)


def make_owner(workplace: Workplace, code: str, wish: NewPerson, address: str) -> None:
    """Makes the account of the owner. The code is good for one account, and of several people who
    send it at once one gets it.

    Refused with a wrong code, and after five wrong ones for a quarter of an hour.
    """
    wish = wish.checked()
    guess = take_guess(workplace, GUESS_NAME, address)
    with workplace.database.reading() as session:
        fits = _code_fits(session, code)
    if not fits:
        raise _wrong_code()
    give_guess_back(workplace, guess)
    password_hash = passwords.hash(wish.password)
    with workplace.database.writing() as session:
        if not _code_fits(session, code):
            raise _wrong_code()
        keep_first_visit(session, None)
        add_person_in(session, workplace, SYSTEM, wish, password_hash)


def _code_fits(session: Session, code: str) -> bool:
    """Says whether a code is the present one. Refused once somebody works here."""
    if not is_nobody_there(session):
        raise refuse("taken", "The owner's account is made already.", "Sign in instead.", "code")
    return hmac.compare_digest(token_hash(_tidy(code)), first_visit_hash(session))


def _wrong_code() -> Refused:
    return refuse(
        "code",
        "That is not the code.",
        "The command that started Relvan has printed it; it is new with every start.",
        "code",
    )


def _tidy(code: str) -> str:
    return "".join(letter for letter in code.upper() if letter.isalnum())
