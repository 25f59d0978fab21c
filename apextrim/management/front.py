"""Who may hold a connection to the server, and whose turn it is: whoever sends a byte now and then holds none, and what takes long lets
pass what takes a moment."""

import re
import time
from collections import Counter, deque
from dataclasses import dataclass
from typing import Any

from cachetools import LRUCache
from waitress.channel import HTTPChannel
from waitress.task import ThreadedTaskDispatcher

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


#: What a request of a kind that never took long is taken to cost, and from where on one is long [s].
USUAL_S, LONG_S = 0.1, 0.15
#: A request waits as if it had come later by so many times what it costs: a step passes a page of 1 s that came nine seconds before it, and
#: nothing waits for ever.
WORTH = 10.0
#: Threads that take no long request.
FREE = 2
#: Of the time that passes while a request waits for something else (a file's reader, the database), the share that counts [-].
_WAITED = 1.0 / 8.0
#: What is known of a kind fades by this with every request of it [-]: a first visit computes, the next ones show what is kept.
_FADES = 0.7
_KINDS = 2_000


class Costs:
    """What requests of a kind took: of those alone that took longer than usual, so that nobody can crowd them out with addresses that
    are not there."""

    def __init__(self) -> None:
        self._known: LRUCache[str, float] = LRUCache(_KINDS)

    def of(self, kind: str) -> float:
        """What one of a kind is expected to take [s]."""
        return float(self._known.get(kind, USUAL_S))

    def took(self, kind: str, seconds: float) -> None:
        """Remembers what one took [s]."""
        expected = max(seconds, _FADES * self._known.get(kind, 0.0))
        if expected > USUAL_S:
            self._known[kind] = expected
        else:
            self._known.pop(kind, None)


def kind_of(channel: Any) -> str:
    """The kind of the request that a connection has next: its method and its address without numbers."""
    request = channel.requests[0]
    return "error" if request.error else f"{request.command} {re.sub(r'[0-9]+', '#', request.path)}"


@dataclass(eq=False)
class _Waiting:
    task: Any
    kind: str
    since_s: float
    is_long: bool = False

    def cancel(self) -> None:
        """Gives it up, where the server ends before it has its turn."""
        self.task.cancel()


class ByCost(ThreadedTaskDispatcher):  # type: ignore[misc]
    """Threads that take first what is quickly done, and some of them nothing else: no step is kept waiting by ten first visits."""

    queue: deque[_Waiting]

    def __init__(self, threads: int) -> None:
        super().__init__()
        self.costs, self._long, self._most_long = Costs(), 0, max(1, threads - FREE)
        self.set_thread_count(threads)

    def add_task(self, task: Any) -> None:
        """Puts a connection with a request in line."""
        with self.lock:
            self.queue.append(_Waiting(task, kind_of(task), time.monotonic()))
            self.queue_cv.notify()

    def handler_thread(self, thread_no: int) -> None:
        """What each thread does, until it is told to end."""
        while (one := self._next(thread_no)) is not None:
            begin, worked = time.monotonic(), time.thread_time()
            try:
                one.task.service()
            except BaseException:
                self.logger.exception("Exception when servicing %r", one.task)
            took = max(time.thread_time() - worked, _WAITED * (time.monotonic() - begin))
            with self.lock:
                self.costs.took(one.kind, took)
                self._long -= one.is_long
                self.queue_cv.notify()

    def _next(self, thread_no: int) -> _Waiting | None:
        """What a thread does next, once there is something for it; None where it is to end."""
        with self.lock:
            while self.stop_count == 0:
                if one := self._turn():
                    return one
                self.active_count -= 1
                self.queue_cv.wait()
                self.active_count += 1
            self.active_count -= 1
            self.stop_count -= 1
            self.threads.discard(thread_no)
            self.thread_exit_cv.notify()
        return None

    def _turn(self) -> _Waiting | None:
        """Whose turn it is, taken out of the line; None where there is nothing, or long ones alone while enough of them are under way."""
        costs = [(one.since_s + WORTH * (cost := self.costs.of(one.kind)), cost > LONG_S, one) for one in self.queue]
        free = [(turn, is_long, one) for turn, is_long, one in costs if not is_long or self._long < self._most_long]
        if not free:
            return None
        _, is_long, one = min(free, key=lambda told: told[0])
        self.queue.remove(one)
        one.is_long = is_long
        self._long += is_long
        return one
