"""Driver measures of a lap solution."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Driver:
    """What the driver uses of the car.

    :param ability: share of the envelope used [-]
    :param braking: further share used under brakes [-]
    :param throttle: greatest throttle used, as a share of full thrust [-]
    :param coast_m: metres rolled off the throttle before each braking [m]
    :param shift_rpm: engine speed at which gears are changed at the latest; None for the rev limit [rpm]
    """

    ability: float = 1.0
    braking: float = 1.0
    throttle: float = 1.0
    coast_m: float = 0.0
    shift_rpm: float | None = None

    def __post_init__(self) -> None:
        if not 0.3 <= self.ability <= 1.0 or not 0.3 <= self.braking <= 1.0:
            raise ValueError("a driver uses between 30 % and 100 % of the envelope")
        if not 0.2 <= self.throttle <= 1.0:
            raise ValueError("a throttle cap lies between 20 % and 100 %")
        if not 0.0 <= self.coast_m <= 300.0:
            raise ValueError("a driver coasts between 0 m and 300 m before braking")
        if self.shift_rpm is not None and self.shift_rpm < 1000.0:
            raise ValueError("shift_rpm: gears are changed above 1000 rpm")


#: Whom a racer compares with. The shares are this product's definition of the three words.
LEVELS: dict[str, Driver] = {
    "newcomer": Driver(0.90, 0.80),
    "solid midfielder": Driver(0.955, 0.91),
    "front runner": Driver(0.985, 0.97),
}

#: What the interface calls them; the keys stand in files and databases.
LEVEL_WORDS: dict[str, str] = {"newcomer": "newcomer", "solid midfielder": "midfield", "front runner": "front-runner"}
