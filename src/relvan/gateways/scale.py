"""Reads the scale on the packing bench over HTTP."""

from relvan.gateways.calling import OutsideCaller


def read_scale(address: str, *, private_allowed: bool) -> int:
    """Returns the steady weight on the scale in grams. May raise `OutsideTrouble`."""
    caller = OutsideCaller(address, {}, name="The scale", private_allowed=private_allowed)
    try:
        return int(caller.json("GET", address)["grams"])
    finally:
        caller.close()
