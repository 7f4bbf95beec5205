"""Fills one carton with items, each set down from above in the best place that is left.

This is the inner loop of the choice of cartons, compiled when it is first needed (by numba, which keeps
what it compiled). Lengths are in one unit, weights in grams. An item is set down at a corner of what
stands in the carton already; at least 80 % of its base rests on the bottom or on items, none of which is
fragile.
"""

from typing import Any

import numpy as np
from numba import njit

ALL_CORNERS = 12  # up to so many items, every crossing of their edges is tried as a corner
TURNS = np.array([(0, 1, 2), (1, 0, 2), (0, 2, 1), (2, 0, 1), (1, 2, 0), (2, 1, 0)])


def compiled(function: Any) -> Any:
    """Compiles a function when it is first called, and keeps that for the next process where a folder
    for it can be written."""
    try:
        return njit(cache=True)(function)
    except RuntimeError:
        return njit(function)


@compiled
def _corners(count: int, boxes: Any, found: Any) -> int:
    """Writes the corners at which the next item may be set down; returns how many there are."""
    found[0, 0], found[0, 1] = 0.0, 0.0
    size = 1
    if count <= ALL_CORNERS:
        for i in range(-1, count):
            for j in range(-1, count):
                found[size, 0] = 0.0 if i < 0 else boxes[i, 3]
                found[size, 1] = 0.0 if j < 0 else boxes[j, 4]
                size += 1
        return size
    for i in range(count):
        x, y = boxes[i, 0], boxes[i, 1]
        right, far, base = boxes[i, 3], boxes[i, 4], boxes[i, 2]
        slid_x, slid_y = 0.0, 0.0
        for j in range(count):
            if boxes[j, 5] > base:
                if boxes[j, 4] <= y and boxes[j, 0] <= right < boxes[j, 3]:
                    slid_y = max(slid_y, boxes[j, 4])
                if boxes[j, 3] <= x and boxes[j, 1] <= far < boxes[j, 4]:
                    slid_x = max(slid_x, boxes[j, 3])
        for a, b in ((x, y), (right, y), (x, far), (right, slid_y), (slid_x, far)):
            found[size, 0], found[size, 1] = a, b
            size += 1
    return size


@compiled
def _rests(count: int, boxes: Any, fragile: Any, place: Any) -> float:
    """Returns the height at which an item comes to rest that is let down at a place (x, y, far x,
    far y), or -1 if it would not be held there."""
    x, y, right, far = place
    z = 0.0
    for i in range(count):
        if boxes[i, 0] < right and x < boxes[i, 3] and boxes[i, 1] < far and y < boxes[i, 4]:
            z = max(z, boxes[i, 5])
    if z == 0.0:
        return 0.0
    held = 0.0
    for i in range(count):
        if boxes[i, 5] == z:
            wide = min(right, boxes[i, 3]) - max(x, boxes[i, 0])
            deep = min(far, boxes[i, 4]) - max(y, boxes[i, 1])
            if wide > 0 and deep > 0:
                if fragile[i]:
                    return -1.0
                held += wide * deep
    return z if 10 * held >= 8 * (right - x) * (far - y) else -1.0


@compiled
def _touching(count: int, boxes: Any, size: Any, box: Any) -> float:
    """Returns how much of the sides of a box touches the carton or other boxes."""
    x, y, z, right, far, top = box
    found = 0.0
    if x == 0 or right == size[0]:
        found += (far - y) * (top - z)
    if y == 0 or far == size[1]:
        found += (right - x) * (top - z)
    for i in range(count):
        high = min(top, boxes[i, 5]) - max(z, boxes[i, 2])
        if high <= 0:
            continue
        if boxes[i, 3] == x or boxes[i, 0] == right:
            found += max(0.0, min(far, boxes[i, 4]) - max(y, boxes[i, 1])) * high
        if boxes[i, 4] == y or boxes[i, 1] == far:
            found += max(0.0, min(right, boxes[i, 3]) - max(x, boxes[i, 0])) * high
    return float(found / (2 * ((right - x) + (far - y)) * (top - z)))


@compiled
def fill_carton(size: Any, room_g: float, goods: Any, order: Any, taste: Any) -> tuple[Any, Any]:
    """Sets items down one after the other, leaving out those for which there is no place.

    `size` has the inner lengths of the carton; `goods` has a row for each item: three lengths, weight,
    1 if it must stay upright, 1 if it is fragile, and the number of its kind. `order` has the items in
    the order in which they are tried. `taste` weighs what makes a place good: low base, low top, near
    the corner, touching its neighbours.

    Returns the items that were set down, and for each its box: near corner, then far corner.
    """
    count = 0
    boxes = np.empty((len(order), 6))
    fragile = np.zeros(len(order), dtype=np.bool_)
    packed = np.empty(len(order), dtype=np.int64)
    corners = np.empty((max((ALL_CORNERS + 1) ** 2, 5 * len(order)) + 1, 2))
    room = size[0] * size[1] * size[2]
    failed, box = -1, np.empty(6)
    for item in order:
        kind = int(goods[item, 6])
        volume = goods[item, 0] * goods[item, 1] * goods[item, 2]
        if kind == failed or goods[item, 3] > room_g or volume > room:
            continue
        best, chosen = np.inf, False
        for turn in range(2 if goods[item, 4] else 6):
            dx, dy = goods[item, TURNS[turn, 0]], goods[item, TURNS[turn, 1]]
            dz = goods[item, TURNS[turn, 2]]
            if dx > size[0] or dy > size[1] or dz > size[2] or _is_repeated(goods, item, turn):
                continue
            for corner in range(_corners(count, boxes, corners)):
                x, y = corners[corner]
                if x + dx > size[0] or y + dy > size[1]:
                    continue
                z = _rests(count, boxes, fragile, (x, y, x + dx, y + dy))
                if z < 0 or z + dz > size[2]:
                    continue
                score = taste[0] * z / size[2] + taste[1] * (z + dz) / size[2]
                score += taste[2] * (x / size[0] + y / size[1])
                if taste[3] > 0:
                    one = (x, y, z, x + dx, y + dy, z + dz)
                    score -= taste[3] * _touching(count, boxes, size, one)
                if score < best:
                    best, chosen = score, True
                    box[0], box[1], box[2] = x, y, z
                    box[3], box[4], box[5] = x + dx, y + dy, z + dz
        if not chosen:
            failed = kind
            continue
        boxes[count] = box
        fragile[count], packed[count] = goods[item, 5] > 0, item
        room_g -= goods[item, 3]
        room -= volume
        failed = -1
        count += 1
    return packed[:count], boxes[:count]


@compiled
def _is_repeated(goods: Any, item: int, turn: int) -> bool:
    """Says whether turning an item so gives the same lengths as a turn before."""
    for other in range(turn):
        same = True
        for axis in range(3):
            if goods[item, TURNS[other, axis]] != goods[item, TURNS[turn, axis]]:
                same = False
        if same:
            return True
    return False
