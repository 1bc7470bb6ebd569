"""Errors as a person should read them: what, why, and the way out."""


class Problem(Exception):
    """Something that cannot be done as asked."""

    def __init__(self, message: str, way_out: str = "", status: int = 400) -> None:
        super().__init__(message)
        self.way_out = way_out
        self.status = status

    def __str__(self) -> str:
        return f"{self.args[0]} {self.way_out}".strip()


class NotFound(Problem):
    """What was named does not exist."""

    def __init__(self, message: str, way_out: str = "") -> None:
        super().__init__(message, way_out, 404)
