"""Driver measures of a lap solution."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Driver:
    """What the driver uses of the car.

    :param ability: share of the envelope used [-]
    :param braking: further share used under brakes [-]
    """

    ability: float = 1.0
    braking: float = 1.0

    def __post_init__(self) -> None:
        if not 0.3 <= self.ability <= 1.0 or not 0.3 <= self.braking <= 1.0:
            raise ValueError("a driver uses between 30 % and 100 % of the envelope")


#: Whom a racer compares with. The shares are this product's definition of the three words.
LEVELS: dict[str, Driver] = {
    "newcomer": Driver(0.90, 0.80),
    "solid midfielder": Driver(0.955, 0.91),
    "front runner": Driver(0.985, 0.97),
}
