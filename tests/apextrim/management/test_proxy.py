"""Behind a proxy that speaks TLS: the server believes that one, and leads nobody round in circles."""

import os
import subprocess
import sys
import time
from pathlib import Path
from urllib.error import HTTPError
from urllib.request import HTTPRedirectHandler, Request, build_opener

import pytest

from scripts.servers import ROOT, free_port


class _Stay(HTTPRedirectHandler):
    def redirect_request(self, *_: object) -> None:
        return None


def status(port: int, **headers: str) -> tuple[int, str]:
    """Status and way of an answer that is not followed."""
    asked = Request(f"http://127.0.0.1:{port}/sign-in/", headers={"Host": "trim.example.org", **headers})
    try:
        with build_opener(_Stay).open(asked, timeout=30) as answer:
            return answer.status, ""
    except HTTPError as error:
        return error.code, error.headers.get("Location", "")


@pytest.mark.thorough_only
@pytest.mark.parametrize(("proxy", "believed"), [("127.0.0.1", True), ("192.0.2.7", False)])
def test_a_request_that_came_over_tls_is_answered_and_a_plain_one_led_on(tmp_path: Path, proxy: str, believed: bool) -> None:
    port = free_port()
    env = {**os.environ, "APEX_VAR": str(tmp_path), "APEX_TLS": "1", "APEX_HOSTS": "trim.example.org", "APEX_PROXY": proxy}
    server = subprocess.Popen([sys.executable, "manage.py", "serve", "--port", str(port)], cwd=ROOT, env=env, stdout=subprocess.DEVNULL)
    try:
        until = time.monotonic() + 120
        while True:
            try:
                plain = status(port)
                break
            except OSError:
                assert time.monotonic() < until
                time.sleep(0.2)
        assert plain == (301, "https://trim.example.org/sign-in/")
        over_tls = status(port, **{"X-Forwarded-Proto": "https"})
        assert over_tls == ((200, "") if believed else plain)
    finally:
        server.terminate()
        server.wait(30)
