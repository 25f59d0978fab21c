"""Parts of addresses."""


class TraceKind:
    """A format in which traces go out."""

    regex = "csv|parquet"

    def to_python(self, value: str) -> str:
        return value

    def to_url(self, value: str) -> str:
        return value
