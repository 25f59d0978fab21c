"""Words that agree with their numbers."""


def counted(number: int, word: str, plural: str = "") -> str:
    """`1 lap`, `2 laps`.

    :param plural: where it is not the word with an s
    """
    return f"{number} {word if number == 1 else plural or word + 's'}"
