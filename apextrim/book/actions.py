"""Changes to a book, each one transaction."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from django.db import transaction

from apexcore.circuit.moves import known_by, moved_to
from apexcore.errors import FileRejected, InputError
from apexcore.formats.book_file import BookEntryFile, BookFile
from apexcore.quantities.text import read_number
from apexcore.trim.book.fields import FIELD, MOST_WORDS, VARIANTS, Entered, read_field
from apexcore.trim.book.marks import Approach
from apexcore.trim.book.proposal import BookDesk
from apextrim.events.models import Event
from apextrim.library.stored import driven_line, parsed_circuit
from apextrim.modelling import cases
from apextrim.modelling.cases import Case

from .models import BookBefore, BookEntry
from .queries import desk_in


@dataclass
class Saved:
    """What became of a corner's page.

    :param changed: fields that changed
    :param problems: by field; nothing was saved if there is one
    """

    changed: int = 0
    problems: dict[str, str] = field(default_factory=dict)


@transaction.atomic
def save_page(
    event: Event, corner: int, variant: str, way: Approach, gears: int, typed: Mapping[str, str], was: Mapping[str, str]
) -> Saved:
    """Sets the fields of a corner's page; all of them or, where one cannot be, none.

    What was changed since in another window and differs from what is typed here is told, and neither is lost.

    :param typed: by field, as typed
    :param was: what stood in each field when the page was opened
    """
    saved, rows = Saved(), {row.field: row for row in BookEntry.objects.filter(event=event, corner=corner, variant=variant)}
    wanted: dict[str, Entered | None] = {}
    for key, text in typed.items():
        now = rows[key].text if key in rows else ""
        if text.strip() == was.get(key, now) and text.strip() != now:
            continue  # this window left it alone, another one changed it
        if text.strip() == now:
            continue  # a mark that is gone from the circuit since stays as it was told
        try:
            entered = read_field(key, text, way, gears)
        except InputError as error:
            saved.problems[key] = str(error)
            continue
        new = entered.text if entered else ""
        if key in was and now not in (was[key], new):
            other = f"“{now}”" if now else "nothing"
            saved.problems[key] = f"{FIELD[key].words}: another window put {other} here meanwhile. Save again to put yours in its place."
        elif new != now:
            wanted[key] = entered
    if saved.problems:
        return saved
    for key, entered in wanted.items():
        put(event, corner, variant, key, entered)
    saved.changed = len(wanted)
    return saved


def put(event: Event, corner: int, variant: str, key: str, entered: Entered | None) -> None:
    """Sets one field; None empties it."""
    there = BookEntry.objects.filter(event=event, corner=corner, variant=variant, field=key)
    if entered is None:
        there.delete()
    else:
        values = {"text": entered.text, "at_m": entered.at_m}
        BookEntry.objects.update_or_create(event=event, corner=corner, variant=variant, field=key, defaults=values)


@transaction.atomic
def put_choice(event: Event, corner: int, variant: str, way: Approach, gears: int, values: Mapping[str, str]) -> int:
    """Puts what was tried in a corner into its page; the book as it stood can be brought back. Returns how many fields changed.

    :raises InputError: if a value is none for its field
    """
    keep_before(event)
    rows = {row.field: row.text for row in BookEntry.objects.filter(event=event, corner=corner, variant=variant)}
    changed = 0
    for key, text in values.items():
        entered = read_field(key, text, way, gears)
        if entered is not None and rows.get(key) != entered.text:
            put(event, corner, variant, key, entered)
            changed += 1
    return changed


@transaction.atomic
def put_lifts(event: Event, lifts: Mapping[int, str]) -> int:
    """Sets the metres coasted before the brakes in the book for the race, by corner; what stood can be brought back. Returns how many
    changed.

    :param lifts: as typed
    :raises InputError: naming the corner whose metres are none
    """
    wanted = {number: Entered(f"{read_number(text, 'm', f'corner {number}, lift', 0, 300):.0f} m") for number, text in lifts.items()}
    there = {row.corner: row.text for row in BookEntry.objects.filter(event=event, variant="race", field="coast")}
    changed = {number: entered for number, entered in wanted.items() if there.get(number) != entered.text}
    if changed:
        keep_before(event)
    for number, entered in changed.items():
        put(event, number, "race", "coast", entered)
    return len(changed)


def keep_before(event: Event) -> None:
    """Keeps the book as it stands, for `undo`."""
    entries = [list(row) for row in BookEntry.objects.filter(event=event).values_list("corner", "variant", "field", "text", "at_m")]
    BookBefore.objects.update_or_create(event=event, defaults={"entries": entries})


@transaction.atomic
def undo(event: Event) -> bool:
    """Brings the book back as it stood before something was carried into it; doing so again brings that back. Whether there was one."""
    before = BookBefore.objects.filter(event=event).first()
    if before is None:
        return False
    keep_before(event)
    BookEntry.objects.filter(event=event).delete()
    BookEntry.objects.bulk_create(
        BookEntry(event=event, corner=corner, variant=variant, field=key, text=text, at_m=at)
        for corner, variant, key, text, at in before.entries
    )
    return True


def book_file(event: Event) -> BookFile:
    """The book of an event with its circuit."""
    rows = BookEntry.objects.filter(event=event)
    entries = tuple(BookEntryFile(corner=row.corner, variant=row.variant, field=row.field, text=row.text) for row in rows)
    return BookFile(circuit=parsed_circuit(event.circuit.data), car=event.car.name, entries=entries)


@dataclass(frozen=True)
class CarriedBook:
    """What came of carrying a book over.

    :param new: entries that were empty before
    :param replaced: entries that said something else
    :param moved: corners that have another number here, in words
    """

    new: int
    replaced: int
    moved: tuple[str, ...]


def carry(event: Event, case: Case, file: BookFile, corners: Iterable[int] | None = None) -> CarriedBook:
    """Puts another book's entries into this event's; all or nothing, and what stood can be brought back.

    :param case: that the corners are read in
    :param file: the other book
    :param corners: numbers, in the other book, of those that are carried; all if not given
    :raises FileRejected: naming each entry that does not fit here
    """
    wanted = [entry for entry in file.entries if corners is None or entry.corner in set(corners)]
    homes = _homes(file, case)
    desks, problems = dict[int, BookDesk](), list[str]()
    fresh: dict[tuple[int, str, str], Entered] = {}
    for entry in wanted:
        number = homes.get(entry.corner)
        place = f"corner {entry.corner}, {VARIANTS[entry.variant]}"
        if number is None:
            problems.append(f"{place}: the circuit of this book has no such corner.")
            continue
        desk = desks.get(number) or desks.setdefault(number, desk_in(case, number))
        try:
            entered = read_field(entry.field, entry.text, desk.way, len(desk.desk.lap_case.car.powertrain.gears))
        except InputError as error:
            problems.append(f"{place}: {error}")
            continue
        if entered is not None:
            fresh.setdefault((number, entry.variant, entry.field), entered)
    if problems:
        raise FileRejected(problems)
    with transaction.atomic():
        keep_before(event)
        there = {(row.corner, row.variant, row.field): row.text for row in BookEntry.objects.filter(event=event)}
        changed = {key: entered for key, entered in fresh.items() if there.get(key) != entered.text}
        for (number, variant, key), entered in changed.items():
            put(event, number, variant, key, entered)
    moved = [f"corner {old} is corner {new} here" for old, new in homes.items() if old != new and any(e.corner == old for e in wanted)]
    new = sum(key not in there for key in changed)
    return CarriedBook(new, len(changed) - new, tuple(moved))


def _homes(file: BookFile, case: Case) -> dict[int, int]:
    """The number here of each corner of another book's circuit."""
    there, spans = driven_line(file.circuit.model_dump_json(), cases.width_of(case))
    here = case.lap_case().line
    return moved_to(known_by(spans, len(there.s)), known_by(case.spans(), len(here.s)))


def rehome(event: Event, homes: Mapping[int, int]) -> list[str]:
    """Moves a book's pages to the corners that theirs have become; where two come together, the first one's fields stay and the other's
    are told in its hazards. Returns what is said of it.

    :raises InputError: if those become too long
    """
    rows = list(BookEntry.objects.filter(event=event))
    if all(homes.get(row.corner, row.corner) == row.corner for row in rows):
        return []
    said = []
    kept: dict[tuple[int, str, str], BookEntry] = {}
    for row in sorted(rows, key=lambda row: (homes.get(row.corner, row.corner) != row.corner, row.corner)):
        new = homes.get(row.corner, row.corner)
        if new != row.corner:
            said.append(f"{event.name}: the book of corner {row.corner} went to corner {new}.")
        key = (new, row.variant, row.field)
        if key not in kept:
            kept[key] = row
            row.corner = new
            continue
        extra = (new, row.variant, "hazards")
        told = f"of former corner {row.corner}, {FIELD[row.field].words.lower()}: {row.text}"
        if extra in kept:
            kept[extra].text = f"{kept[extra].text}; {told}"
        else:
            kept[extra] = BookEntry(event=event, corner=new, variant=row.variant, field="hazards", text=told)
    for row in kept.values():
        if len(row.text) > MOST_WORDS:
            raise InputError(f"book of corner {row.corner}", f"{len(row.text)} characters", f"at most {MOST_WORDS} with what joins them")
    BookEntry.objects.filter(event=event).delete()
    for row in kept.values():
        row.pk = None
    BookEntry.objects.bulk_create(kept.values())
    return list(dict.fromkeys(said))
