"""The second step of signing in: a code from a phone that changes every 30 seconds, or a recovery
code. Source: RFC 6238 (TOTP) with SHA-1, 6 digits and 30 seconds, as most applications expect it.
"""

import hmac
import json
import secrets
from dataclasses import dataclass
from datetime import timedelta

import pyotp
import segno

from relvan.core.refusal import Refused, refuse
from relvan.services import audit
from relvan.services.people.sign_in import (
    SignedIn,
    actor_for,
    open_visit,
    person_with,
    take_guess,
    token_hash,
)
from relvan.services.workplace import Actor, Workplace
from relvan.store.people import forget_guess
from relvan.store.session import Session
from relvan.store.tables import Person

STEP_S = 30
EARLY_OR_LATE = 1  # a code of the step before or after counts too: clocks differ
RECOVERY_CODES, RECOVERY_LENGTH = 10, 10
LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"  # none that are taken for one another
TICKET_LASTS = timedelta(minutes=5)


@dataclass(frozen=True)
class BegunTwoStep:
    """What a person needs to add the second step to a phone: the secret as text, and an SVG with
    the QR code of its address."""

    secret: str
    address: str
    picture: str


def needs_code(person: Person) -> bool:
    """Says whether a person signs in by two steps."""
    return bool(person.totp)


def begin_two_step(workplace: Workplace, signed_in: SignedIn) -> BegunTwoStep:
    """Makes a new secret, which counts once a code of it was typed; returns it for the phone."""
    secret = pyotp.random_base32()
    with workplace.database.writing() as session:
        person = session.get_one(Person, signed_in.actor.person_id)
        person.totp_begun = workplace.secrets.seal(secret)
    return _begun(workplace, signed_in.login, secret)


def begun_two_step(workplace: Workplace, signed_in: SignedIn) -> BegunTwoStep | None:
    """Returns the secret that waits to be confirmed, or None."""
    with workplace.database.reading() as session:
        sealed = session.get_one(Person, signed_in.actor.person_id).totp_begun
    return _begun(workplace, signed_in.login, workplace.secrets.open(sealed)) if sealed else None


def _begun(workplace: Workplace, login: str, secret: str) -> BegunTwoStep:
    issuer = workplace.firm.name or "Relvan"
    address = pyotp.TOTP(secret).provisioning_uri(name=login, issuer_name=issuer)
    picture = segno.make(address, micro=False).svg_inline(
        scale=4, border=2, dark="#1F2730", light="#FFFFFF", svgclass=None, lineclass=None
    )
    return BegunTwoStep(secret, address, picture)


def confirm_two_step(workplace: Workplace, signed_in: SignedIn, code: str) -> list[str]:
    """Takes the second step into use once its code is right; returns the recovery codes, which are
    shown this once. Guesses are counted as at the sign-in."""
    guess = take_guess(workplace, signed_in.login, "")
    with workplace.database.writing() as session:
        person = session.get_one(Person, signed_in.actor.person_id)
        if not person.totp_begun:
            raise refuse("nothing", "There is nothing to confirm.", "Begin once more.", "code")
        step = _step_of(workplace, workplace.secrets.open(person.totp_begun), code, after=0)
        if step:
            codes = _new_codes()
            person.totp, person.totp_begun, person.totp_last = person.totp_begun, "", step
            person.recovery = [token_hash(_tidy(one)) for one in codes]
            _note(session, workplace, signed_in.actor, person.id, ("no", "yes"))
            forget_guess(session, guess)
            return codes
    raise _wrong_code()


def end_two_step(workplace: Workplace, signed_in: SignedIn, password: str, address: str) -> None:
    """Takes one's own second step away; it needs the password."""
    try:
        person = person_with(workplace, signed_in.login, password, address)
    except Refused as refused:
        first = refused.first
        raise refuse(first.code, "That is not your password.", first.fix, "present") from None
    with workplace.database.writing() as session:
        take_second_step_away(session, workplace, signed_in.actor, person.id)


def take_second_step_away(
    session: Session, workplace: Workplace, actor: Actor, person_id: int
) -> None:
    """Takes somebody's second step away inside a transaction."""
    person = session.get_one(Person, person_id)
    if person.totp or person.totp_begun:
        person.totp, person.totp_begun, person.recovery = "", "", []
        _note(session, workplace, actor, person.id, ("yes", "no"))


def give_ticket(workplace: Workplace, person: Person) -> str:
    """Returns what shows, for five minutes, that somebody's password was right."""
    told = {
        "person": person.id,
        "password": token_hash(person.password_hash),
        "until": (workplace.now() + TICKET_LASTS).timestamp(),
    }
    return workplace.secrets.seal(json.dumps(told))


def sign_in_with_code(
    workplace: Workplace, ticket: str, code: str, address: str, agent: str = ""
) -> SignedIn:
    """Opens a visit for somebody whose password was right, once the code is. A code counts once;
    after 5 wrong ones one must wait a quarter of an hour."""
    person_id = _read_ticket(workplace, ticket)
    with workplace.database.reading() as session:
        login = session.get_one(Person, person_id).login
    take_guess(workplace, login, address)
    with workplace.database.writing() as session:
        person = session.get_one(Person, person_id)
        fits = person.active and _takes(session, workplace, person, code)
    if not fits:
        raise _wrong_code()
    return open_visit(workplace, person, login, address, agent)


def _read_ticket(workplace: Workplace, ticket: str) -> int:
    try:
        told = json.loads(workplace.secrets.open(ticket))
    except (Refused, ValueError):
        raise _too_late() from None
    with workplace.database.reading() as session:
        person = session.get(Person, told["person"])
    if person is None or told["until"] < workplace.now().timestamp():
        raise _too_late()
    if told["password"] != token_hash(person.password_hash):
        raise _too_late()
    return person.id


def _takes(session: Session, workplace: Workplace, person: Person, code: str) -> bool:
    """Says whether a code is right, and uses it up."""
    secret = workplace.secrets.open(person.totp)
    step = _step_of(workplace, secret, code, after=person.totp_last)
    if step:
        person.totp_last = step
        return True
    wanted = token_hash(_tidy(code))
    if not any(hmac.compare_digest(wanted, kept) for kept in person.recovery):
        return False
    person.recovery = [kept for kept in person.recovery if kept != wanted]
    subject = audit.Subject("person", person.id)
    changes = {"recovery codes": (len(person.recovery) + 1, len(person.recovery))}
    audit.record(session, actor_for(person, "hand"), workplace.now(), subject, "changed", changes)
    return True


def _step_of(workplace: Workplace, secret: str, code: str, *, after: int) -> int:
    """Returns the moment of which a code is, in steps of 30 s, or 0 when it is wrong or was used."""
    plain = "".join(code.split())
    if len(plain) != 6 or not plain.isascii() or not plain.isdigit():
        return 0
    totp = pyotp.TOTP(secret)
    now = int(workplace.now().timestamp()) // STEP_S
    for step in range(now - EARLY_OR_LATE, now + EARLY_OR_LATE + 1):
        if step > after and hmac.compare_digest(totp.at(step * STEP_S), plain):
            return step
    return 0


def _new_codes() -> list[str]:
    half = RECOVERY_LENGTH // 2
    plain = [
        "".join(secrets.choice(LETTERS) for _ in range(RECOVERY_LENGTH))
        for _ in range(RECOVERY_CODES)
    ]
    return [f"{code[:half]}-{code[half:]}" for code in plain]


def _tidy(code: str) -> str:
    return "".join(filter(str.isalnum, code.upper()))


def _wrong_code() -> Refused:
    fix = "Type the one that your phone shows now, or a recovery code."
    return refuse("code", "That code is wrong, or was used before.", fix, "code")


def _too_late() -> Refused:
    return refuse(
        "too-late", "That took longer than five minutes.", "Sign in once more.", "password"
    )


def _note(
    session: Session, workplace: Workplace, actor: Actor, person_id: int, change: tuple[str, str]
) -> None:
    subject = audit.Subject("person", person_id)
    changes = {"second step": change}
    audit.record(session, actor, workplace.now(), subject, "changed", changes)
