"""Solves small integer programmes exactly, by the solver HiGHS.

It is a function of its values: it reads no clock but that of its own time limit, no file, and no
network. It is loaded when it is first needed, since most of the work never needs it.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from time import monotonic
from typing import Any

from relvan.core.refusal import refuse


@dataclass(frozen=True)
class Limit:
    """One condition: the sum of coefficient times variable is from `low` to `high`. `terms` are
    pairs of (variable, coefficient)."""

    terms: tuple[tuple[int, float], ...]
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True)
class IntegerProblem:
    """An integer programme: maximise the sum of `gain` times variable. Each variable is an integer
    from 0 to its limit in `most`."""

    gain: tuple[float, ...]
    most: tuple[int, ...]
    rows: tuple[Limit, ...]


@dataclass(frozen=True)
class Solution:
    """The values of the variables, whether no better ones exist, and a bound that no values can
    exceed."""

    values: tuple[int, ...]
    exact: bool
    bound: float


@dataclass(frozen=True)
class Budget:
    """The seconds that a computation of several programmes may take, counted from when it is
    made."""

    seconds: float
    begun: float = field(default_factory=monotonic)

    @property
    def left(self) -> float:
        """The seconds that are left; a programme always gets a moment."""
        return max(0.05, self.begun + self.seconds - monotonic())

    @property
    def is_over(self) -> bool:
        """Says whether the time has run out."""
        return monotonic() > self.begun + self.seconds


def solve(
    problem: IntegerProblem, *, seconds: float = 10.0, start: Sequence[int] = ()
) -> Solution | None:
    """Solves a programme and returns its best values, or None if no values satisfy the conditions.

    The gap at which the solver stops is 0, so an answer is exact unless the time ran out. `start`
    are values that are known to satisfy the conditions; the solver starts there.

    Raises:
        Refused: if the time ran out before any values were found.
    """
    import highspy  # it takes longer to load than most programmes to solve

    # the class around this one greets on standard output, where `relvan solve` writes its answer
    highs = highspy.Highs.__base__()
    for name, value in (
        ("output_flag", False),
        ("threads", 1),
        ("mip_rel_gap", 0.0),
        ("mip_abs_gap", 0.0),
        ("time_limit", seconds),
    ):
        highs.setOptionValue(name, value)
    highs.passModel(_model(highspy, problem))
    if start:
        highs.setSolution(_start(highspy, start))
    highs.run()
    status = highs.getModelStatus()
    if status == highspy.HighsModelStatus.kSolveError:  # its presolving fails on a few programmes
        highs.setOptionValue("presolve", "off")
        highs.run()
        status = highs.getModelStatus()
    if status == highspy.HighsModelStatus.kInfeasible:
        return None
    info = highs.getInfo()
    if info.primal_solution_status != highspy.SolutionStatus.kSolutionStatusFeasible:
        raise refuse(
            "time", "No answer was found in time.", "Choose fewer orders, or another rule."
        )
    values = tuple(round(value) for value in highs.getSolution().col_value)
    exact = status == highspy.HighsModelStatus.kOptimal
    return Solution(values, exact, info.objective_function_value if exact else info.mip_dual_bound)


def _start(highspy: Any, start: Sequence[int]) -> Any:
    solution = highspy.HighsSolution()
    solution.col_value = [float(value) for value in start]
    return solution


def _model(highspy: Any, problem: IntegerProblem) -> Any:
    infinite = highspy.kHighsInf
    model = highspy.HighsLp()
    model.num_col_, model.num_row_ = len(problem.gain), len(problem.rows)
    model.sense_ = highspy.ObjSense.kMaximize
    model.col_cost_ = list(map(float, problem.gain))
    model.col_lower_ = [0.0] * len(problem.gain)
    model.col_upper_ = list(map(float, problem.most))
    model.integrality_ = [highspy.HighsVarType.kInteger] * len(problem.gain)
    model.row_lower_ = [-infinite if row.low is None else float(row.low) for row in problem.rows]
    model.row_upper_ = [infinite if row.high is None else float(row.high) for row in problem.rows]
    starts, index, value = [0], list[int](), list[float]()
    for row in problem.rows:
        index += [variable for variable, _ in row.terms]
        value += [float(coefficient) for _, coefficient in row.terms]
        starts.append(len(index))
    matrix = model.a_matrix_
    matrix.format_ = highspy.MatrixFormat.kRowwise
    matrix.start_, matrix.index_, matrix.value_ = starts, index, value
    return model
