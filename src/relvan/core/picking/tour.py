"""Improves the order of points on a walk, and states a length that no walk past them can undercut."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from relvan.core.picking.plan import FloorPlan

MOST_ROUNDS = 8
SMALL = 1e-9


def distances(plan: FloorPlan, points: Sequence[tuple[int, float]]) -> Any:
    """Returns the shortest walk between every two points, each an aisle and a y, in metres, as a square
    array."""
    aisle = np.array([point[0] for point in points])
    y = np.array([point[1] for point in points])
    around = np.full((len(points), len(points)), np.inf)
    for level in plan.levels:
        off = np.abs(y - level)
        np.minimum(around, off[:, None] + off[None, :], out=around)
    across = np.abs(aisle[:, None] - aisle[None, :])
    there = np.abs(y[:, None] - y[None, :])
    return np.where(across == 0, there, across * plan.aisle_pitch_m + around)


def improve_tour(far: Any, order: Sequence[int]) -> list[int]:
    """Returns a better order of the points between the first and the last, which stay. `far` has the
    distances, `order` the places of the points between, counted from 0. Stretches of the walk are
    turned round and points are moved as long as that makes it shorter."""
    walk = np.array([0, *(at + 1 for at in order), len(far) - 1])
    for _ in range(MOST_ROUNDS):
        turned, walk = _turn_round(walk, far)
        moved, walk = _move_points(walk, far)
        if not turned and not moved:
            break
    return [int(at) - 1 for at in walk[1:-1]]


def _turn_round(walk: Any, far: Any) -> tuple[bool, Any]:
    changed = False
    for i in range(len(walk) - 3):
        c, d = walk[i + 2 : -1], walk[i + 3 :]
        a, b = walk[i], walk[i + 1]
        longer = far[a, c] + far[b, d] - far[a, b] - far[c, d]
        best = int(np.argmin(longer))
        if longer[best] < -SMALL:
            j = i + 2 + best
            walk[i + 1 : j + 1] = walk[i + 1 : j + 1][::-1].copy()
            changed = True
    return changed, walk


def _move_points(walk: Any, far: Any) -> tuple[bool, Any]:
    changed = False
    for point in walk[1:-1].tolist():
        at = int(np.flatnonzero(walk == point)[0])
        left, right = walk[at - 1], walk[at + 1]
        saved = far[left, point] + far[point, right] - far[left, right]
        rest = np.delete(walk, at)
        a, b = rest[:-1], rest[1:]
        longer = far[a, point] + far[point, b] - far[a, b]
        best = int(np.argmin(longer))
        if longer[best] < saved - SMALL:
            walk = np.insert(rest, best + 1, point)
            changed = True
    return changed, walk


def bound_on_tour(far: Any) -> float:
    """Returns the length of the shortest tree that joins all points, which every walk past them has at
    least."""
    near, left, total = far[0].copy(), np.ones(len(far), dtype=bool), 0.0
    left[0] = False
    for _ in range(len(far) - 1):
        point = int(np.argmin(np.where(left, near, np.inf)))
        total += float(near[point])
        left[point] = False
        np.minimum(near, far[point], out=near)
    return total
