"""Caches of pure functions, bounded in bytes: what a kept value weighs counts, not how many there are."""

from collections.abc import Callable, Hashable, Mapping
from contextlib import suppress
from dataclasses import fields, is_dataclass
from functools import wraps
from threading import Lock
from typing import Any, ParamSpec, TypeVar, cast

import numpy as np
from cachetools import LRUCache
from pydantic import BaseModel

from apexcore.errors import ApexError

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


def kept_within(most_bytes: int) -> Callable[[Callable[Arguments, Kept]], Callable[Arguments, Kept]]:
    """Keeps the results of a function of hashable arguments and lists of such, the ones used last longest. Results are shared:
    nobody may change one.

    A result that weighs more than all the room is worked out anew every time. Refusals (`ApexError`) are kept as results are: what
    took seconds to find impossible stays so. Other errors are not.

    :param most_bytes: room for arguments and results [bytes]
    """

    def wrap(function: Callable[Arguments, Kept]) -> Callable[Arguments, Kept]:
        cache: LRUCache[Hashable, tuple[Hashable, Any]] = LRUCache(most_bytes, getsizeof=weight)
        lock = Lock()

        @wraps(function)
        def found(*args: Arguments.args, **kwargs: Arguments.kwargs) -> Kept:
            key = (tuple(map(_frozen, args)), tuple(sorted((name, _frozen(value)) for name, value in kwargs.items())))
            with lock:
                if key in cache:
                    return _given(cache[key][1])
            try:
                result: Any = function(*args, **kwargs)
            except ApexError as error:
                result = error.with_traceback(None)
            with lock, suppress(ValueError):  # too heavy for this cache
                cache[key] = (key, result)
            return _given(result)

        def _given(result: Any) -> Kept:
            if isinstance(result, ApexError):
                raise result.with_traceback(None)
            return cast(Kept, result)

        found.cache = cache  # type: ignore[attr-defined]
        return found

    return wrap
