"""The last net under every reader of files: what none of them foresaw becomes a refusal, and a line in the log."""

import logging
from collections.abc import Callable
from functools import wraps
from typing import ParamSpec, TypeVar

from ..errors import ApexError, FileRejected

_log = logging.getLogger(__name__)

Arguments = ParamSpec("Arguments")
Result = TypeVar("Result")


def guarded(what: str) -> Callable[[Callable[Arguments, Result]], Callable[Arguments, Result]]:
    """For a reader of files: anything that it raises beside `ApexError` is logged and becomes `FileRejected`.

    The log names the kind of the fault and where in the code it arose, never a value of the file.

    :param what: what was expected, for the message ("a car")
    """

    def wrap(reader: Callable[Arguments, Result]) -> Callable[Arguments, Result]:
        @wraps(reader)
        def read(*args: Arguments.args, **kwargs: Arguments.kwargs) -> Result:
            try:
                return reader(*args, **kwargs)
            except ApexError:
                raise
            except Exception as error:
                at = error.__traceback__
                while at is not None and at.tb_next is not None:
                    at = at.tb_next
                where = f"{at.tb_frame.f_code.co_filename.rsplit('/', 1)[-1]}:{at.tb_lineno}" if at is not None else "?"
                _log.error("unforeseen %s at %s while reading %s", type(error).__name__, where, what)
                raise FileRejected([f"The file: it holds something that cannot be {what}; nothing of it was taken."]) from None

        return read

    return wrap
