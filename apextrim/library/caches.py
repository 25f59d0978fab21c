"""Caches of pure functions, bounded in bytes: what a kept value weighs counts, not how many there are. What is asked for by several at
once is worked out once; what took long is kept on disk beside (`shelf`)."""

import time
from collections.abc import Callable, Hashable, Mapping
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import fields, is_dataclass
from functools import wraps
from threading import Lock
from typing import Any, ParamSpec, TypeVar, cast

import numpy as np
from cachetools import LRUCache
from django.db import connection
from pydantic import BaseModel

from apexcore.errors import ApexError

from . import shelf

Arguments = ParamSpec("Arguments")
Kept = TypeVar("Kept")

#: A million bytes.
MB = 1_000_000

#: What an object costs besides what it holds [bytes]. Source: `sys.getsizeof` of a small object on CPython 3.11, rounded up.
_OBJECT_BYTES = 64


def weight(value: object) -> int:
    """About how much memory a value holds [bytes]; what two values share counts for both."""
    if isinstance(value, np.ndarray):
        return _OBJECT_BYTES + value.nbytes
    if isinstance(value, str | bytes):
        return _OBJECT_BYTES + len(value)
    if isinstance(value, Mapping):
        return _OBJECT_BYTES + sum(weight(key) + weight(held) for key, held in value.items())
    if isinstance(value, list | tuple | set | frozenset):
        return _OBJECT_BYTES + sum(weight(held) for held in value)
    if isinstance(value, BaseModel):
        return _OBJECT_BYTES + weight(vars(value))
    if is_dataclass(value):
        return _OBJECT_BYTES + sum(weight(getattr(value, field.name)) for field in fields(value))
    return _OBJECT_BYTES


def _frozen(value: object) -> object:
    return tuple(value) if isinstance(value, list) else value


def kept_within(most_bytes: int, on_disk: bool = True) -> Callable[[Callable[Arguments, Kept]], Callable[Arguments, Kept]]:
    """Keeps the results of a function of hashable arguments and lists of such, the ones used last longest. Results are shared:
    nobody may change one.

    A result that weighs more than all the room is worked out anew every time. Refusals (`ApexError`) are kept as results are: what
    took seconds to find impossible stays so. Other errors are not. Whoever asks for what another thread is working out waits for it.

    :param most_bytes: room for arguments and results [bytes]
    :param on_disk: whether what took long is kept on disk; never where rows are named by their keys, which mean others in a database that
        was put back
    """

    def wrap(function: Callable[Arguments, Kept]) -> Callable[Arguments, Kept]:
        cache: LRUCache[Hashable, tuple[Hashable, Any]] = LRUCache(most_bytes, getsizeof=weight)
        lock = Lock()
        under_way: dict[Hashable, Future[Any]] = {}

        @wraps(function)
        def found(*args: Arguments.args, **kwargs: Arguments.kwargs) -> Kept:
            key = (tuple(map(_frozen, args)), tuple(sorted((name, _frozen(value)) for name, value in kwargs.items())))
            with lock:
                if key in cache:
                    return _given(cache[key][1])
                other = under_way.get(key)
                if other is None:
                    mine = under_way[key] = Future()
            if other is not None:
                return _given(other.result())
            try:
                result = _worked_out(function, key if on_disk else None, args, kwargs)
                with lock, suppress(ValueError):  # too heavy for this cache
                    cache[key] = (key, result)
                mine.set_result(result)
            except BaseException as error:
                mine.set_exception(error)
                raise
            finally:
                with lock:
                    del under_way[key]
            return _given(result)

        def _given(result: Any) -> Kept:
            if isinstance(result, ApexError):
                raise result.with_traceback(None)
            return cast(Kept, result)

        found.cache = cache  # type: ignore[attr-defined]
        return found

    return wrap


def _worked_out(function: Callable[..., Any], key: object | None, args: Any, kwargs: Any) -> Any:
    """The result of a function, from the shelf where it is there; a refusal as what it is.

    :param key: that it is found by there; None where it is not to lie there
    """
    name = shelf.name_of(function, key) if key is not None and shelf.folder() is not None else None
    if name is not None and (there := shelf.taken(name)) is not None:
        return there[0]
    begin, asked = time.thread_time(), list[str]()

    def seen(execute: Callable[..., Any], sql: str, *more: Any) -> Any:
        asked.append(sql)
        return execute(sql, *more)

    try:
        with connection.execute_wrapper(seen):
            result = function(*args, **kwargs)
    except ApexError as error:
        return error.with_traceback(None)
    # what was read from the database is no function of what was given alone
    if name is not None and not asked and time.thread_time() - begin > shelf.WORTH_S:
        shelf.put(name, result)
    return result
