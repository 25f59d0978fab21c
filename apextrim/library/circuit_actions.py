"""Changes to circuits and their notes; what takes time is done before the transaction begins."""

from collections.abc import Mapping

from django.contrib.auth.models import User
from django.db import transaction

from apexcore.circuit.line import CAR_WIDTH_M
from apexcore.circuit.moves import known_by, moved_to
from apexcore.circuit.track import Circuit as CoreCircuit
from apexcore.circuit.track import centre_line, reversed_circuit
from apexcore.errors import ApexError, FileRejected, InputError
from apexcore.formats.circuits import IMPORTED, read_circuit
from apexcore.formats.values_json import write_value

from .car_actions import still_as_read
from .models import Circuit, CornerNote
from .signals import circuit_changing, corners_moved
from .stored import driven_line, parsed_circuit

#: Longest note on a corner, for qualifying and for the race.
MOST_NOTE = 400
#: Most circuits of one name that are numbered.
_MOST_ALIKE = 100


def add_circuit(
    owner: User, data: bytes, name: str = "Imported circuit", width_m: float = 10.0, closed: bool = True, typed: bool = False
) -> tuple[Circuit, bool]:
    """A circuit from its file; the same file again adds nothing.

    :param name: for a file that tells no name
    :param width_m: for a file that tells no width [m]
    :param closed: for a file of points: whether it is a lap
    :param typed: whether the name was chosen, so that the file's own does not count
    :returns: the circuit, and whether it is new; points whose name another circuit of this owner has get a number behind it
    :raises FileRejected: if the file is no circuit, or another circuit of this owner has the key that it tells
    :raises InputError: if the lap does not close
    """
    core = read_circuit(data, name, width_m, closed, typed)
    return keep_circuit(owner, core) if core.layout != IMPORTED else keep_numbered(owner, core)


def keep_numbered(owner: User, core: CoreCircuit) -> tuple[Circuit, bool]:
    """A circuit whose name need not be its own: one that another circuit of this owner has gets a number behind it.

    :returns: the circuit, and whether it is new
    :raises FileRejected: if it waits in the bin
    :raises InputError: if the lap does not close
    """
    centre_line(core)
    for number in range(1, _MOST_ALIKE):
        beside = {"key": f"{core.key[:33]}_{number}", "name": f"{core.name[:56]} {number}"} if number > 1 else {}
        numbered = core.model_copy(update=beside)
        there = Circuit.everything.filter(owner=owner, key=numbered.key).first()
        alike = there is not None and parsed_circuit(there.data).model_copy(update={"name": numbered.name}) == numbered
        if there is None or (alike and there.deleted_at is not None):
            return put_circuit(owner, numbered)  # refuses one that waits in the bin
        if alike:
            return there, False
    raise FileRejected([f"name: a hundred circuits called {core.name} are in your garage. Choose another name."])


def keep_circuit(owner: User, core: CoreCircuit) -> tuple[Circuit, bool]:
    """A circuit of the core as a row; see `add_circuit`."""
    centre_line(core)  # a lap that does not close is refused here, not at the first use
    return put_circuit(owner, core)


@transaction.atomic
def put_circuit(owner: User, core: CoreCircuit) -> tuple[Circuit, bool]:
    """A circuit whose lap is known to close as a row; see `add_circuit`."""
    text = write_value(core)
    there = Circuit.everything.filter(owner=owner, key=core.key).first()
    if there is not None and there.deleted_at is not None:
        raise FileRejected([f"key: “{core.key}” is that of {there.name} in the bin. Bring that one back, or choose another key."])
    if there is not None:
        if parsed_circuit(there.data) == core:  # a file of before a field was added is the same circuit
            return there, False
        raise FileRejected([f"key: “{core.key}” is already used by {there}. Choose another key."])
    return Circuit.objects.create(owner=owner, key=core.key, name=core.name, layout=core.layout, data=text), True


def change_circuit(row: Circuit, core: CoreCircuit, said: list[str] | None = None) -> bool:
    """Changes a circuit; what was before can be brought back. Returns whether anything changed.

    What racers wrote of a corner that has another number now, or is no more, goes to the nearest.

    :param said: takes a sentence for each
    :raises ApexError: if the lap does not close, or something that builds on this circuit, such as a car that races here,
        no longer fits it
    """
    text = write_value(core)
    if text == row.data:
        return False
    circuit_changing.send(sender=Circuit, row=row, text=text)
    homes = _homes(row.data, text)
    _put(row, core, text, homes, [] if said is None else said)
    return True


@transaction.atomic
def _put(row: Circuit, core: CoreCircuit, text: str, homes: Mapping[int, int], said: list[str]) -> None:
    """Stores a changed circuit, and moves what racers wrote with its corners."""
    still_as_read(row)
    before = row.previous, row.data, row.name, row.layout
    row.previous, row.data, row.name, row.layout = row.data, text, core.name, core.layout
    row.save(update_fields=["previous", "data", "name", "layout"])
    if all(old == new for old, new in homes.items()):
        return
    try:
        _move_notes(row, homes, said)
        corners_moved.send(sender=Circuit, row=row, homes=homes, said=said)
    except ApexError:
        row.previous, row.data, row.name, row.layout = before  # as the database will have it again
        raise


def _homes(before: str, after: str) -> dict[int, int]:
    """The number that each corner of a circuit has after a change."""
    (old, old_spans), (new, new_spans) = driven_line(before, CAR_WIDTH_M), driven_line(after, CAR_WIDTH_M)
    return moved_to(known_by(old_spans, len(old.s)), known_by(new_spans, len(new.s)))


def _move_notes(row: Circuit, homes: Mapping[int, int], said: list[str]) -> None:
    """Notes go with their corners; where two come together, both stand in one.

    :raises InputError: if they are too long to
    """
    joined: dict[int, list[str]] = {}
    for note in row.notes.all():
        number = homes.get(note.number, note.number)
        if number != note.number:
            said.append(f"The notes of corner {note.number} went to corner {number}.")
        pair = joined.setdefault(number, ["", ""])
        for place, text in enumerate((note.qualifying, note.race)):
            pair[place] = "; ".join(part for part in (pair[place], text) if part)
    for number, pair in joined.items():
        if max(map(len, pair)) > MOST_NOTE:
            letters = f"{max(map(len, pair))} characters"
            raise InputError(f"notes of corner {number}", letters, f"at most {MOST_NOTE} with those that join them")
    row.notes.all().delete()
    CornerNote.objects.bulk_create(
        CornerNote(circuit=row, number=number, qualifying=qualifying, race=race) for number, (qualifying, race) in joined.items()
    )


def undo_circuit(row: Circuit, said: list[str] | None = None) -> bool:
    """Brings back the circuit before its last change. Returns whether there was one."""
    return bool(row.previous) and change_circuit(row, parsed_circuit(row.previous), said)


def add_reversed(circuit: Circuit) -> tuple[Circuit, bool]:
    """The circuit driven the other way round, as a circuit of its own."""
    return keep_circuit(circuit.owner, reversed_circuit(parsed_circuit(circuit.data)))


@transaction.atomic
def save_notes(circuit: Circuit, notes: Mapping[int, tuple[str, str]]) -> int:
    """Sets the notes of corners; an empty pair takes a note away. Returns how many changed."""
    there = {note.number: note for note in circuit.notes.all()}
    changed = 0
    for number, (qualifying, race) in notes.items():
        note = there.get(number)
        if ((note.qualifying, note.race) if note else ("", "")) == (qualifying, race):
            continue
        changed += 1
        if not qualifying and not race:
            circuit.notes.filter(number=number).delete()
        else:
            CornerNote.objects.update_or_create(circuit=circuit, number=number, defaults={"qualifying": qualifying, "race": race})
    return changed
