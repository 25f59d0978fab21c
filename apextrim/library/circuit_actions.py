"""Changes to circuits and their notes; what takes time is done before the transaction begins."""

from collections.abc import Mapping

from django.contrib.auth.models import User
from django.db import transaction

from apexcore.circuit.track import Circuit as CoreCircuit
from apexcore.circuit.track import centre_line, reversed_circuit
from apexcore.errors import FileRejected
from apexcore.formats.circuits import read_circuit
from apexcore.formats.values_json import write_value

from .models import Circuit, CornerNote
from .signals import circuit_changing
from .stored import parsed_circuit


def add_circuit(
    owner: User, data: bytes, name: str = "Imported circuit", width_m: float = 10.0, closed: bool = True
) -> tuple[Circuit, bool]:
    """A circuit from its file; the same file again adds nothing.

    :param name: for a file that tells no name
    :param width_m: for a file that tells no width [m]
    :param closed: for a file of points: whether it is a lap
    :returns: the circuit, and whether it is new
    :raises FileRejected: if the file is no circuit, or another circuit of this owner has its key
    :raises InputError: if the lap does not close
    """
    return keep_circuit(owner, read_circuit(data, name, width_m, closed))


def keep_circuit(owner: User, core: CoreCircuit) -> tuple[Circuit, bool]:
    """A circuit of the core as a row; see `add_circuit`."""
    centre_line(core)  # a lap that does not close is refused here, not at the first use
    return put_circuit(owner, core)


@transaction.atomic
def put_circuit(owner: User, core: CoreCircuit) -> tuple[Circuit, bool]:
    """A circuit whose lap is known to close as a row; see `add_circuit`."""
    text = write_value(core)
    there = Circuit.objects.filter(owner=owner, key=core.key).first()
    if there is not None:
        if there.data == text:
            return there, False
        raise FileRejected([f"key: “{core.key}” is already used by {there}. Choose another key."])
    return Circuit.objects.create(owner=owner, key=core.key, name=core.name, layout=core.layout, data=text), True


def change_circuit(row: Circuit, core: CoreCircuit) -> bool:
    """Changes a circuit; what was before can be brought back. Returns whether anything changed.

    :raises ApexError: if the lap does not close, or something that builds on this circuit, such as a car that races here,
        no longer fits it
    """
    text = write_value(core)
    if text == row.data:
        return False
    circuit_changing.send(sender=Circuit, row=row, text=text)
    row.previous, row.data, row.name, row.layout = row.data, text, core.name, core.layout
    row.save(update_fields=["previous", "data", "name", "layout"])  # one statement, a transaction of its own
    return True


def undo_circuit(row: Circuit) -> bool:
    """Brings back the circuit before its last change. Returns whether there was one."""
    return bool(row.previous) and change_circuit(row, parsed_circuit(row.previous))


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
