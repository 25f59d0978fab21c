"""What a page refers to is on the page, also where a form came back wrong."""

import re
from collections.abc import Callable, Iterator

import pytest
from django.http import HttpResponse, HttpResponseBase
from django.test import Client

from tests.apextrim.test_access import addresses as addresses

REFERENCES = re.compile(r'\b(aria-describedby|aria-labelledby|for|hx-target|hx-include)="#?([^"]+)"')


def broken(response: HttpResponseBase) -> Iterator[str]:
    """References of a page to ids that it does not have."""
    assert isinstance(response, HttpResponse)
    page = response.content.decode()
    ids = set(re.findall(r'\bid="([^"]+)"', page))
    for name, value in REFERENCES.findall(page):
        for wanted in value.split():
            if wanted not in ids:
                yield f'{name}="{value}"'


@pytest.mark.thorough_only
def test_every_form_that_comes_back_wrong_describes_its_errors(
    addresses: dict[str, str], client_in: Client, first: Callable[..., object]
) -> None:
    wrong, described = {}, 0
    for name, address in addresses.items():
        if name in {"sign_out", "logger", "sheet_answer", "sheet_effect", "sheet_steps"}:
            continue
        for response in (client_in.get(address), client_in.post(address, {"name": "", "air_c": "x", "laps": "?", "by": "?"})):
            if not response.get("Content-Type", "").startswith("text/html") or response.status_code in (301, 302):
                continue
            described += response.content.count(b'aria-describedby="')
            if found := sorted(set(broken(response))):
                wrong[name] = found
    assert wrong == {} and described > 10
