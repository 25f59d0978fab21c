"""The pace of a race that is driven otherwise than the laps it is known from: slower, and sparing fuel or tyres."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from .options import at_level
from .pace import Estimate, RacePace
from .rules import Level, Pace


@dataclass(frozen=True)
class Otherwise:
    """What driving otherwise comes to.

    :param cost_s: a lap [s]
    :param fuel_share: fuel a lap over what it was [-]
    :param tyre_share: work of the tyre that works most over what it was [-]
    """

    cost_s: float
    fuel_share: float
    tyre_share: float


def driven_otherwise(pace: RacePace, way: Otherwise) -> RacePace:
    """The same pace when every lap is driven so: tyres fade by their work, and reach their cliff with it.

    Source: wear goes with sliding work (docs/model.md, tyres over a run); fuel and its margin with the use.
    """
    use = replace(pace.fuel, mean_l=pace.fuel.mean_l * way.fuel_share, spread_l=pace.fuel.spread_l * way.fuel_share)
    fade = tuple(Estimate(one.mean * way.tyre_share, one.sd * way.tyre_share, one.laps) for one in pace.fade)
    cliff = tuple(Estimate(one.mean / way.tyre_share, one.sd / way.tyre_share, one.laps) for one in pace.cliff)
    return replace(
        pace, pace=_moved(pace.pace, way), draws=tuple(_moved(draw, way) for draw in pace.draws), fuel=use, fade=fade, cliff=cliff
    )


def each(pace: RacePace, change: Callable[[Pace], Pace]) -> RacePace:
    """The same with its mean and every draw changed alike."""
    return replace(pace, pace=change(pace.pace), draws=tuple(change(draw) for draw in pace.draws))


def with_spins(pace: RacePace, prices_s: Mapping[str, float]) -> RacePace:
    """The same pace with what spins cost a lap on nervous pairs, on average.

    :param prices_s: by the pair's key [s]
    """

    def priced(one: Pace) -> Pace:
        return replace(one, tyres=tuple(replace(tyre, offset_s=tyre.offset_s + prices_s.get(tyre.key, 0.0)) for tyre in one.tyres))

    return each(pace, priced) if any(prices_s.values()) else pace


def with_ballast(pace: RacePace, kg: float, kg_per_l: float) -> RacePace:
    """The same pace with ballast on board: it costs what as much fuel costs.

    :param kg: [kg]
    :param kg_per_l: of fuel [kg/l]
    """
    return each(pace, lambda one: replace(one, lap_s=one.lap_s + one.fuel_s_per_l * kg / kg_per_l))


def with_margin(pace: RacePace, more_l: float) -> RacePace:
    """The same pace with so much more held in reserve [l]."""
    return each(pace, lambda one: replace(one, margin_l=one.margin_l + more_l))


def with_levels(pace: RacePace, levels: tuple[Level, ...]) -> RacePace:
    """The same pace where stints may be driven in several ways."""
    return each(pace, lambda one: replace(one, levels=levels))


def _moved(pace: Pace, way: Otherwise) -> Pace:
    level = Level(0.0, 0.0, way.fuel_share, way.tyre_share)
    return replace(
        pace, lap_s=pace.lap_s + way.cost_s, tyres=tuple(at_level(tyre, level) for tyre in pace.tyres),
        fuel_l_per_lap=pace.fuel_l_per_lap * way.fuel_share, margin_l=pace.margin_l * way.fuel_share,
    )  # fmt: skip
