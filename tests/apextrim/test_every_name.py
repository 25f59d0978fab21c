"""Every name of every form and query of every page, with values of the wrong kind: an answer, never a fault."""

import random

import pytest
from django.db import transaction
from django.test import Client

from scripts.fuzz_forms import Form, forms_of
from tests.apextrim.test_access import addresses as addresses

#: What a box may hold that nobody means: nothing, words, numbers of the wrong kind, size or spelling, other people's rows, no text at all.
WRONG = (
    "", "x", "-1", "0", "1.5", "1e309", "nan", "9" * 400, "99999999999999999999", "\u0000", "\u0664", "2026-13-45", "[]", "{}", "on", "1:99:99", "a,b;c",
)  # fmt: skip
#: Addresses whose forms end the session or wait for files.
NOT_SENT = ("/sign-out/", "/sign-in/")


def sent(client: Client, form: Form, fields: dict[str, list[str]]) -> int:
    """The status of a form whose work is undone again."""
    with transaction.atomic():
        ask = client.post if form.method.lower() == "post" else client.get
        status = ask(form.address, fields).status_code
        transaction.set_rollback(True)
    return status


@pytest.mark.thorough_only
@pytest.mark.parametrize("part", range(2))
def test_every_name_takes_any_value(addresses: dict[str, str], client_in: Client, part: int) -> None:
    pages = sorted(set(addresses.values()))
    forms = [form for form in forms_of(client_in, pages) if form.address not in NOT_SENT]
    assert len(forms) > 60
    faults, seen = list[str](), set[tuple[str, str]]()
    for number, form in enumerate(forms):
        names = dict.fromkeys(name for name, _ in form.fields if name not in ("csrfmiddlewaretoken", "once"))
        for name in names:
            # rows of one table are alike: one of them stands for all
            kind = (form.address, "".join("#" if letter.isdigit() else letter for letter in name))
            if kind in seen or (number + len(seen)) % 2 != part:
                seen.add(kind)
                continue
            seen.add(kind)
            for value in random.Random(f"{form.address} {name}").sample(WRONG, 1):
                fields: dict[str, list[str]] = {}
                for each, text in form.fields:
                    fields.setdefault(each, []).append(text)
                fields[name] = [value]
                try:
                    status = sent(client_in, form, fields)
                except Exception as error:
                    faults.append(f"{form.method} {form.address} {name}={value[:30]!r}: {error!r}"[:300])
                    continue
                if status >= 500:
                    faults.append(f"{form.method} {form.address} {name}={value[:30]!r}: {status}")
    assert not faults, "\n".join(faults)
