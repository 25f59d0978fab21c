"""A tour of six stops, once: one for each bench, in the order of the work."""

from dataclasses import dataclass

from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest

from .models import Preferences
from .owned import Person, owned

#: What each stop says, in the order of the benches.
STOPS = (
    ("Brief", "Say what the day is: weather, rules, sessions, your pace. Every modelled number holds for what stands here."),
    ("Lap", "The circuit corner by corner: where to brake, which gear, which axle gives up first. Open a corner to try it otherwise."),
    ("Sheet", "The car from above. Step a value with the arrow keys and read what the lap and the tyres make of it. Then save it."),
    ("Runs", "Log what you drove: paste your lap times, with fuel and tyre age. Or send the virtual driver, to see how it works."),
    ("Verdicts", "Compare two sheets by their laps: what the difference is, how sure that is, and how many more runs would settle it."),
    ("Race", "Rules, fuel and fade from your laps become the best plan of each number of stops; race mode re-plans it lap by lap."),
)  # fmt: skip
#: Value of a tour that is over, and where a session keeps the one of an account that is everybody's.
OVER, _IN_SESSION = len(STOPS) + 1, "tour"


@dataclass(frozen=True)
class Stop:
    """A stop of the tour.

    :param number: from 1
    :param name: of its bench
    """

    number: int
    name: str
    words: str
    count: int = len(STOPS)

    @property
    def last(self) -> bool:
        """Whether no other follows."""
        return self.number == self.count

    @property
    def next_number(self) -> int:
        """Of the stop behind it."""
        return self.number + 1


def stop_of(user: Person) -> Stop | None:
    """Where the tour of an account is; None where it has not begun, or is over."""
    row = owned(Preferences, user).only("tour").first()
    return None if row is None else _stop(row.tour)


def _stop(number: int) -> Stop | None:
    return Stop(number, *STOPS[number - 1]) if 1 <= number <= len(STOPS) else None


def stop_in(request: HttpRequest) -> Stop | None:
    """Where the tour of a visit is, for an account that is everybody's."""
    number = request.session.get(_IN_SESSION, 0)
    return _stop(number) if isinstance(number, int) else None


def go_on_in(request: HttpRequest, number: int) -> None:
    """To a stop of a visit's tour; beyond the last one it is over."""
    request.session[_IN_SESSION] = min(max(number, 1), OVER)


@transaction.atomic
def begin(user: User) -> None:
    """Begins the tour, once in the life of an account."""
    row, _ = Preferences.objects.get_or_create(owner=user)
    if row.tour == 0:
        go_on(user, 1)


@transaction.atomic
def go_on(user: User, number: int) -> None:
    """To a stop; beyond the last one it is over."""
    Preferences.objects.update_or_create(owner=user, defaults={"tour": min(max(number, 1), OVER)})
