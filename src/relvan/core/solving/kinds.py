"""Answers the problems that `relvan solve` takes, by their kind. See docs/guide/commands.md."""

from collections.abc import Callable, Mapping
from typing import Any

from pydantic import ValidationError

from relvan.core.refusal import Refused, not_found, refuse
from relvan.core.solving.cartons import solve_cartons
from relvan.core.solving.reserve import solve_reserve
from relvan.core.solving.route import solve_route
from relvan.core.solving.routing import solve_routing

SOLVERS: Mapping[str, Callable[[Any], dict[str, Any]]] = {
    "routing": solve_routing,
    "reserve": solve_reserve,
    "route": solve_route,
    "cartons": solve_cartons,
}


def solve_problem(kind: str, problem: Any) -> Any:
    """Answers one problem, or a list of them with a list of answers in the same order.

    Raises:
        NotFound: if there is no such kind.
        Refused: if a problem is wrong; the message is one line and names the key or the item. One
            bad problem refuses the whole list.
    """
    if kind not in SOLVERS:
        raise not_found(f"kind of problem among {', '.join(SOLVERS)} called", kind)
    if isinstance(problem, list):
        return [_answer(kind, one, f"item {at}: ") for at, one in enumerate(problem, 1)]
    return _answer(kind, problem, "")


def _answer(kind: str, problem: Any, where: str) -> dict[str, Any]:
    try:
        return SOLVERS[kind](problem)
    except ValidationError as error:
        first = error.errors()[0]
        name = ".".join(str(part) for part in first["loc"]) or "the problem"
        message = first["msg"].removeprefix("Value error, ")
        raise refuse("form", f"{where}{name}: {message}", "Correct it.") from None
    except Refused as refused:
        first_one = refused.first
        raise refuse(first_one.code, f"{where}{first_one.message}", first_one.fix) from None
