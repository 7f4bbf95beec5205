"""Gives every page who is signed in, the posted form with its CSRF token checked, and the ways to
answer.
"""

import secrets
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any
from urllib.parse import parse_qsl, urlencode

from fastapi import Depends, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from jinja2 import Environment
from starlette.datastructures import FormData

from relvan.core.people.roles import RIGHTS, Right, Role
from relvan.core.refusal import NotAllowed, Refusal, Refused, refuse
from relvan.services.people.desk import frame_of, leave_toast
from relvan.services.people.sign_in import SignedIn, find_visit
from relvan.services.verdicts import Verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.counting import Count
from relvan.store.imports import list_currencies
from relvan.store.line import line_counts
from relvan.web.rendering import Known, environment_of, render

COOKIE = "relvan_visit"
MOST_ID_DIGITS = 18
MOST_FIELDS = 20_000  # a family of a thousand variants sends six fields for each


class NeedsTwoStep(Exception):
    """The firm demands two steps of this person, who has signed in by one."""


class NotSignedIn(Exception):
    """Nobody is signed in; the answer is the page that asks who it is."""


@dataclass(frozen=True)
class Desk:
    """One request of somebody who is signed in."""

    request: Request
    workplace: Workplace
    signed_in: SignedIn
    environment: Environment

    @property
    def actor(self) -> Actor:
        """The person as the audit trail names them."""
        return self.signed_in.actor

    def may(self, right: Right) -> bool:
        """Says whether this person may change a station."""
        return right in RIGHTS[self.actor.role]

    def page(
        self,
        name: str,
        station: str,
        *,
        status: int = 200,
        count_view: Callable[[Any, Mapping[str, str]], Count] | None = None,
        **values: Any,
    ) -> HTMLResponse:
        """Renders a whole page in the frame; `count_view` counts what a saved view shows."""
        query = self.request.query_params
        toast_id = whole_id(query.get("toast", ""))
        with self.workplace.database.reading() as session:
            of_list = station if "sentence" in values or "columns" in values else ""
            frame = frame_of(session, self.actor, of_list, toast_id, self.workplace.now())
            counts = line_counts(session)
            view_counts = {
                view.id: count_view(session, dict(parse_qsl(view.query)))
                for view in frame["views"]
                if count_view
            }
        context = {
            **self._context(station),
            **frame,
            "counts": counts,
            "view_counts": view_counts,
            "chosen_columns": frame["columns"],
            "refusals": values.pop("refusals", ()),
            **values,
        }
        return HTMLResponse(render(self.environment, name, context, self._known), status)

    def fragment(
        self, name: str, station: str = "", *, status: int = 200, **values: Any
    ) -> HTMLResponse:
        """Renders a piece of a page, for htmx."""
        context = {**self._context(station), "refusals": (), "chosen_columns": None, **values}
        return HTMLResponse(render(self.environment, name, context, self._known), status)

    @property
    def _known(self) -> Known:
        return Known(self._list_currencies, self.workplace.tray_names)

    def _list_currencies(self) -> Mapping[str, str]:
        with self.workplace.database.reading() as session:
            return list_currencies(session)

    def done(
        self,
        path: str,
        words: str,
        *,
        tone: str = "good",
        undo_path: str = "",
        undo_fields: Sequence[tuple[str, str]] = (),
    ) -> Response:
        """Redirects to a page with a notice that says what was done and offers its undo."""
        toast = leave_toast(
            self.workplace,
            self.actor,
            words,
            tone=tone,
            undo_path=undo_path,
            undo_fields=undo_fields,
        )
        page, mark, place = path.partition("#")
        joined = f"{page}{'&' if '?' in page else '?'}{urlencode({'toast': toast})}{mark}{place}"
        if self.request.headers.get("HX-Request"):
            return Response(status_code=204, headers={"HX-Redirect": joined})
        return RedirectResponse(joined, 303)

    def go(self, path: str) -> Response:
        """Redirects to a page without a notice."""
        if self.request.headers.get("HX-Request"):
            return Response(status_code=204, headers={"HX-Redirect": path})
        return RedirectResponse(path, 303)

    def verdicts(
        self,
        path: str,
        verdicts: Sequence[Verdict],
        deed: str,
        *,
        undo_path: str = "",
        undo_fields: Sequence[tuple[str, str]] = (),
        field: str = "pick",
    ) -> Response:
        """Redirects after an action on many, with a notice that says for how many it was done and
        why not for the others.
        """
        done = [verdict for verdict in verdicts if verdict.ok]
        refused = [verdict for verdict in verdicts if not verdict.ok]
        words = f"{deed}: {len(done)} of {len(verdicts)}." if refused else f"{deed}: {len(done)}."
        if refused:
            words += " " + " ".join(verdict.message for verdict in refused[:3])
            words += f" And {len(refused) - 3} more." if len(refused) > 3 else ""
        undo = [(field, verdict.subject) for verdict in done] if undo_path and done else []
        undo += undo_fields if undo else ()
        return self.done(
            path,
            words,
            tone="look" if refused else "good",
            undo_path=undo_path if undo else "",
            undo_fields=undo,
        )

    def _context(self, station: str) -> dict[str, Any]:
        return {
            "request": self.request,
            "station": station,
            "me": self.actor,
            "csrf": self.signed_in.csrf,
            "may": lambda right: self.may(Right(right)),
            "currency": self.workplace.firm.currency,
        }


def workplace_of(request: Request) -> Workplace:
    """Returns the workplace of this application."""
    found: Workplace = request.app.state.workplace
    return found


def address_of_visitor(request: Request) -> str:
    """Returns the network address from which a request came."""
    return request.client.host if request.client else ""


def agent_of(request: Request) -> str:
    """Returns what the browser tells of itself."""
    return request.headers.get("user-agent", "")


def at_account(request: Request) -> Desk:
    """Returns the desk of the person to whom the cookie belongs, for the pages of one's own account."""
    workplace = workplace_of(request)
    visit = find_visit(workplace, request.cookies.get(COOKIE, ""))
    if visit is None:
        raise NotSignedIn
    return Desk(request, workplace, visit, environment_of(workplace))


AtAccount = Annotated[Desk, Depends(at_account)]


def is_two_step_demanded(workplace: Workplace, signed_in: SignedIn) -> bool:
    """Says whether the firm demands that this person signs in by two steps."""
    return workplace.firm.two_step and signed_in.actor.role == Role.OWNER


def signed_in(desk: AtAccount) -> Desk:
    """Returns the desk of somebody who has signed in as the firm demands."""
    if is_two_step_demanded(desk.workplace, desk.signed_in) and not desk.signed_in.two_step:
        raise NeedsTwoStep
    return desk


At = Annotated[Desk, Depends(signed_in)]


def at_setup(desk: At) -> Desk:
    """Returns the desk of somebody who may set things up; refused for everybody else."""
    desk.actor.must(Right.SETUP)
    return desk


AtSetup = Annotated[Desk, Depends(at_setup)]


def is_setup(path: str) -> bool:
    """Says whether an address belongs to Setup."""
    return path.partition("#")[0].partition("?")[0].split("/")[1:2] == ["setup"]


def whole_id(text: str) -> int | None:
    """Returns an id as a form or an address holds it, or None for anything else."""
    return int(text) if text.isascii() and text.isdigit() and len(text) <= MOST_ID_DIGITS else None


class PostedForm(Mapping[str, str]):
    """A posted form: the first value of each field as text, all values of one field, and the files."""

    def __init__(self, data: FormData) -> None:
        self._data = data

    def __getitem__(self, name: str) -> str:
        value = self._data[name]
        if not isinstance(value, str):
            raise KeyError(name)
        return value

    def __iter__(self) -> Any:
        return iter(name for name, value in self._data.items() if isinstance(value, str))

    def __len__(self) -> int:
        return len(self._data)

    def all(self, name: str) -> list[str]:
        """Returns every value of a field, such as the ticked rows."""
        return [value for value in self._data.getlist(name) if isinstance(value, str)]

    def ids(self, name: str) -> list[int]:
        """Returns every value of a field, each of which must be an id.

        Raises:
            Refused: if one of them is no id; it is never silently left out.
        """
        found = [(value, whole_id(value)) for value in self.all(name)]
        for value, number in found:
            if number is None:
                raise refuse(
                    "form",
                    f"“{value[:30]}” names nothing that could be ticked.",
                    "Load the page again.",
                    name,
                )
        return [number for _, number in found if number is not None]

    def id_of(self, name: str) -> int | None:
        """Returns the one id that a field holds, or None when it is empty.

        Raises:
            Refused: if it holds something else.
        """
        return next(iter(PostedForm.ids(self, name)), None) if self.get(name) else None

    def files(self, name: str) -> list[UploadFile]:
        """Returns the files of a field."""
        return [v for v in self._data.getlist(name) if not isinstance(v, str) and v.filename]  # type: ignore[misc]


async def posted(request: Request, desk: At) -> AsyncIterator[PostedForm]:
    """Returns the posted form of somebody signed in; refused when it does not carry the token of
    the person's sign-in.
    """
    async with request.form(max_fields=MOST_FIELDS) as data:
        _refuse_other_visit(request, desk, data)
        yield PostedForm(data)


async def posted_to_account(request: Request, desk: AtAccount) -> AsyncIterator[PostedForm]:
    """Returns the form that somebody signed in has posted to the pages of the own account."""
    async with request.form(max_fields=MOST_FIELDS) as data:
        _refuse_other_visit(request, desk, data)
        yield PostedForm(data)


def _refuse_other_visit(request: Request, desk: Desk, data: FormData) -> None:
    sent = request.headers.get("X-CSRF-Token") or str(data.get("csrf", ""))
    if not secrets.compare_digest(sent.encode(), desk.signed_in.csrf.encode()):
        raise NotAllowed(
            Refusal(
                "csrf",
                "This form is from another sign-in.",
                "Load the page again and send it once more.",
            )
        )


Form = Annotated[PostedForm, Depends(posted)]
AccountForm = Annotated[PostedForm, Depends(posted_to_account)]


def last_try(typed: Mapping[str, str] | None, refused: Refused | None) -> dict[str, Any]:
    """Returns what a page with a form shows of the last try: what was typed, all refusals, and the
    first refusal of each field.
    """
    refusals = refused.refusals if refused else ()
    return {"typed": dict(typed or {}), "errors": first_by_field(refusals), "refusals": refusals}


def first_by_field(refusals: Sequence[Refusal]) -> dict[str, Refusal]:
    """Returns the first refusal of each field."""
    found: dict[str, Refusal] = {}
    for refusal in refusals:
        found.setdefault(refusal.field, refusal)
    return found
