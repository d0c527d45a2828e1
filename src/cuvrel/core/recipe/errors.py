"""Faults that a person can do something about."""


class CuvrelError(Exception):
    """A fault with a sentence for a person.

    message: what went wrong, in one sentence.
    hint: what would help, or an empty string.
    """

    def __init__(self, message: str, hint: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint

    def __str__(self) -> str:
        return f"{self.message} {self.hint}".strip()


class RecipeError(CuvrelError):
    """The document breaks a rule: a value out of range, a reference to nothing, a circle."""


class MediaError(CuvrelError):
    """Footage that cannot be read, or is more than this program takes."""


class TraceError(CuvrelError):
    """A trace that cannot be solved as it stands, such as one without an in mark."""
