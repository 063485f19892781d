"""Refusals in the user's words.

A ``Refusal`` carries what happened, what is safe and what to do. The web turns it into a message
with the given status; the terminal prints it in one line.
"""


class Refusal(Exception):
    """Something that was asked cannot be done, and nothing was changed.

    ``status`` is the HTTP status that fits (400 bad value, 404 unknown, 409 not now, 503 away).
    """

    def __init__(self, message: str, status: int = 400) -> None:
        super().__init__(message)
        self.message = message
        self.status = status


class WrongUsage(Refusal):
    """What was typed in the terminal is not valid, whatever the session holds."""


class NothingThere(Refusal):
    """Nothing lies where something was to be changed."""


class NotFound(Refusal):
    def __init__(self, message: str) -> None:
        super().__init__(message, 404)


class NotNow(Refusal):
    """Right in itself, but not while the present state lasts (a capture runs, nothing is armed)."""

    def __init__(self, message: str) -> None:
        super().__init__(message, 409)


class Sure(NotNow):
    """Can be done, but only by somebody who was asked. ``yes`` are the words on the button that does it, ``answer`` is
    what it sends as ``sure``."""

    def __init__(self, message: str, yes: str, answer: str = "true") -> None:
        super().__init__(message)
        self.yes, self.answer = yes, answer


class Away(Refusal):
    """A process that is needed does not answer."""

    def __init__(self, message: str) -> None:
        super().__init__(message, 503)
