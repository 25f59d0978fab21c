"""One root exception for the core; a caller acts on the subclass, a person reads the message."""


class ApexError(Exception):
    """Root of every error that the core raises on purpose."""


class InputError(ApexError):
    """A value from outside is unusable.

    The message always names the place, the value and what was expected.

    :param place: where it stands, in the reader's words ("line 4, column lap_time", "rear wing")
    :param value: what was found there, as given
    :param expected: what would have been accepted
    """

    def __init__(self, place: str, value: object, expected: str) -> None:
        self.place = place
        self.value = value
        self.expected = expected
        shown = str(value).encode("utf-8", "replace").decode()  # half a character could not be shown
        if len(shown) > 60:
            shown = shown[:57] + "..."
        super().__init__(f"{place}: “{shown}” is not valid; expected {expected}.")


class FileRejected(ApexError):
    """A whole file is refused; nothing of it was taken.

    :param problems: every problem found, each naming its place, in file order
    """

    def __init__(self, problems: list[str]) -> None:
        self.problems = problems
        super().__init__(" ".join(problems))


class SolverError(ApexError):
    """The lap could not be solved; the message says where on the lap and how far it got."""


class NoLegalSheet(ApexError):
    """No sheet satisfies the limits of a class; the message says what the nearest one still breaks."""


class NoLegalPlan(ApexError):
    """No race plan satisfies the rules.

    :param collisions: sentences that name the rules which exclude each other
    """

    def __init__(self, collisions: list[str]) -> None:
        self.collisions = collisions
        super().__init__(" ".join(collisions))
