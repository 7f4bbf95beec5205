"""Says who may do what: a role is a set of rights, and each right covers a station of the job."""

from enum import StrEnum

from relvan.core.refusal import NotAllowed, Refusal, refuse


class Right(StrEnum):
    """What a person may change. Everybody who is signed in may look at everything."""

    CATALOGUE = "catalogue"
    LISTINGS = "listings"
    STOCK = "stock"
    PRICES = "prices"
    ORDERS = "orders"
    DISPATCH = "dispatch"
    SETUP = "setup"


class Role(StrEnum):
    """The roles of a small firm."""

    OWNER = "owner"
    CATALOGUE = "catalogue"
    ORDERS = "orders"
    WAREHOUSE = "warehouse"


RIGHTS: dict[Role, frozenset[Right]] = {
    Role.OWNER: frozenset(Right),
    Role.CATALOGUE: frozenset({Right.CATALOGUE, Right.LISTINGS, Right.PRICES}),
    Role.ORDERS: frozenset({Right.ORDERS, Right.STOCK, Right.DISPATCH}),
    Role.WAREHOUSE: frozenset({Right.DISPATCH, Right.STOCK}),
}
LEAST_PASSWORD = 10
MOST_PASSWORD = 200


def check_right(role: Role, right: Right) -> None:
    """Refuses an action that the role does not include."""
    if right not in RIGHTS[role]:
        message = f"The role “{role.value}” may not change {right.value}."
        raise NotAllowed(
            Refusal("not-allowed", message, "Ask an owner to do it, or to change the role.")
        )


def check_password(password: str) -> None:
    """Checks that a password has 10 to 200 characters."""
    if not LEAST_PASSWORD <= len(password) <= MOST_PASSWORD:
        message = f"“Password” must have {LEAST_PASSWORD} to {MOST_PASSWORD} characters; it has {len(password)}."
        raise refuse("password", message, "Choose a longer one.", "password")
