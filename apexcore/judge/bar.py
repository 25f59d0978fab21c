"""How sure a verdict must be: who looks again and again, or stops when it suits, must be surer than who named the number of runs."""

from dataclasses import dataclass

#: Chance that the interval must hold at the number of runs that was named, before and after it, and where none was named. Sources:
#: group-sequential bounds (Pocock, Biometrika 64, 1977, for looks without a plan), held by simulation on the proof page.
AT_PLAN, OFF_PLAN, NO_PLAN = 0.95, 0.995, 0.99
#: Runs without which, and without earlier runs of the driver, the spread from run to run is hardly known.
FEW_RUNS = 6


@dataclass(frozen=True)
class Bar:
    """The chance asked for, and why.

    :param chance: of the interval that must leave no difference out [-]
    :param runs: driven
    :param planned: runs named beforehand; None where none were
    :param few: whether it is so high because there are few runs of a driver of whom no others are known
    :param history: whether earlier runs of the driver are known
    """

    chance: float
    runs: int
    planned: int | None
    few: bool
    history: bool

    @property
    def early(self) -> bool:
        """Whether runs that were planned are still to be driven."""
        return self.planned is not None and self.runs < self.planned

    @property
    def late(self) -> bool:
        """Whether more were driven than planned."""
        return self.planned is not None and self.runs > self.planned

    def with_more(self, runs: int) -> "Bar":
        """The bar after so many further runs: without a plan the same, with one the plan's."""
        return bar_for(self.runs + runs, self.planned, self.history)


def bar_for(runs: int, planned: int | None, history: bool) -> Bar:
    """The bar of a verdict.

    :param runs: driven, of both sides together
    :param planned: runs named before the first was driven
    :param history: whether earlier runs of this driver are known
    """
    chance = NO_PLAN if planned is None else AT_PLAN if runs == planned else OFF_PLAN
    few = runs < FEW_RUNS and not history and chance <= NO_PLAN
    return Bar(max(chance, NO_PLAN) if few else chance, runs, planned, few, history)
