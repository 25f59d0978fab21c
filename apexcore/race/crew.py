"""What a pit crew may do at once, told as a formula of standing time.

`max(tyres, fuel) + driver` says that tyres and fuel are done together and the drivers change when both are done. Any such formula in which
fuel stands once comes to max(A, B + what filling takes): A is what goes on without fuel, B what has to be done before or after it. So it
is a stop like the others (Baccelli and others, Synchronization and Linearity, ch. 3: the algebra of max and plus).
"""

import ast
import math
from dataclasses import dataclass

from ..errors import InputError

_EXPECTED = "tyres, fuel, driver and seconds, joined by + and max(…), such as max(tyres, fuel) + driver"
_MOST_S = 900.0


@dataclass(frozen=True)
class Work:
    """Standing time as max(`without_s`, `with_s` + what filling takes).

    :param with_s: minus infinity where fuel does not stand in it [s]
    """

    without_s: float
    with_s: float

    @property
    def standing_s(self) -> float:
        """Standing time of a stop without fuel [s]."""
        return max(self.without_s, self.with_s, 0.0)

    def free_l(self, rate: float, least_s: float = 0.0) -> float:
        """Litres that go in while the car stands for something else.

        :param least_s: least standing time [s]
        """
        return rate * (max(self.standing_s, least_s) - self.with_s) if rate > 0.0 else 0.0


def read_work(text: str, tyres_s: float, driver_s: float) -> Work:
    """Standing time by a formula.

    :param tyres_s: what a change of tyres takes [s]
    :param driver_s: what a change of driver takes [s]
    :raises InputError: naming what is wrong with the formula
    """
    try:
        tree = ast.parse(text.strip().lower(), mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise InputError("work at a stop", text, _EXPECTED) from None
    return _work(tree, {"tyres": tyres_s, "driver": driver_s}, text)


def names_fuel(text: str) -> bool:
    """Whether a formula that can be read names fuel."""
    return read_work(text, 0.0, 0.0).with_s > -math.inf


def _work(node: ast.expr, known: dict[str, float], text: str) -> Work:
    if isinstance(node, ast.Name) and node.id == "fuel":
        return Work(0.0, 0.0)
    if isinstance(node, ast.Name) and node.id in known:
        return Work(known[node.id], -math.inf)
    if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and 0 <= node.value <= _MOST_S:
        return Work(float(node.value), -math.inf)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        one, other = _work(node.left, known, text), _work(node.right, known, text)
        if one.with_s > -math.inf and other.with_s > -math.inf:
            raise InputError("work at a stop", text, "fuel once in a sum")
        return Work(one.without_s + other.without_s, max(one.with_s + other.without_s, other.with_s + one.without_s))
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "max" and node.args and not node.keywords:
        some = [_work(arg, known, text) for arg in node.args]
        return Work(max(one.without_s for one in some), max(one.with_s for one in some))
    raise InputError("work at a stop", text, _EXPECTED)
