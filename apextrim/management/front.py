"""Who may hold a connection to the server, and for how long: whoever sends a byte now and then holds none."""

import time
from collections import Counter
from typing import Any

from waitress.channel import HTTPChannel

#: How long a request may take to come in, and how fast it has to come beyond that [s], [bytes/s].
PATIENCE_S, LEAST_RATE = 20.0, 4_000.0
#: Places that are kept free for whoever comes next.
SPARE = 20


class Channel(HTTPChannel):  # type: ignore[misc]
    """A connection that is closed where its request comes in too slowly; where places run short, whoever holds the most of them gives
    one up, as far as nothing is under way on it."""

    _began_s, _got = 0.0, 0

    def __init__(self, server: Any, sock: Any, addr: Any, adj: Any, map: Any = None) -> None:
        super().__init__(server, sock, addr, adj, map=map)
        others = [one for one in server.active_channels.values() if one is not self]
        if len(others) >= adj.connection_limit - SPARE:
            _make_room(others)

    def received(self, data: bytes) -> bool:
        """Takes what has come in."""
        if self.request is None:
            self._began_s, self._got = time.monotonic(), 0
        self._got += len(data)
        taken: bool = super().received(data)
        return taken

    def readable(self) -> bool:
        """Whether it is read from; asked about once a second, so that it is here that one is too slow."""
        if self.request is not None and time.monotonic() - self._began_s > PATIENCE_S + self._got / LEAST_RATE:
            self.will_close = True
        asked: bool = super().readable()
        return asked

    @property
    def idle(self) -> bool:
        """Whether no request of it is worked on, and no answer on its way."""
        return not self.requests and not self.total_outbufs_len


def _make_room(channels: list[Any]) -> None:
    """Closes the connection that has been silent longest, of the address that holds the most."""
    held = Counter(one.addr[0] for one in channels if one.idle)
    if held:
        most = held.most_common(1)[0][0]
        min((one for one in channels if one.idle and one.addr[0] == most), key=lambda one: one.last_activity).handle_close()
