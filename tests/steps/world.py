"""Holds steps of tests about world."""

import time

from tests.house import png

NOTICE = {
    "own_code": "A",
    "heading": "A pot",
    "text": "A pot thrown by hand.",
    "shelf": "hg-other",
    "condition": "new",
    "asking": 1000,
    "units": 2,
    "details": {},
}


def place(world, **change):
    head = {"Authorization": f"Token {world.token('hagglet')}"}
    photo = world.client.post("/hagglet/seller/photos", content=png(), headers=head).json()["photo"]
    body = {**NOTICE, "photos": [photo], **change}
    return world.client.post(
        "/hagglet/seller/notices", json=body, headers={**head, "Request-Id": str(time.time_ns())}
    )
