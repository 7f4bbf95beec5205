"""Holds steps of tests about findings."""

import zlib

from tests.house import TEXT, png


def place_by_hand(world, code, heading, **more):
    """Somebody put a notice up without us."""
    head = {
        "Authorization": f"Token {world.token('hagglet')}",
        "Request-Id": f"hand-{code}-{zlib.crc32(heading.encode())}",
    }
    photo = world.client.post("/hagglet/seller/photos", content=png(), headers=head).json()["photo"]
    body = {
        "own_code": code,
        "heading": heading,
        "text": TEXT,
        "shelf": "hg-planters",
        "condition": "new",
        "asking": 1500,
        "units": 3,
        "details": {"material": "clay"},
        "photos": [photo],
        **more,
    }
    answer = world.client.post("/hagglet/seller/notices", json=body, headers=head)
    assert answer.status_code == 201, answer.text
    return answer.json()["notice"]
