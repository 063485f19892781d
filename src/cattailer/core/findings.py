"""The vocabulary of findings: what is in order, what needs a look, what is in the way, and what one click cures."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Cure:
    """What one click does about a finding: words, what is done, and with what."""

    words: str
    action: str
    arguments: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Finding:
    """``kind``: "good", "look" (needs a look, does not block) or "stop" (nothing can be captured).

    ``key`` tells findings apart, so that one can be accepted as it is; ``end`` is where to look.
    """

    kind: str
    text: str
    key: str = ""
    end: str = ""
    cure: Cure | None = None


def stage_mark(findings: list[Finding], done: bool) -> str:
    """"settled", "look" or "untouched"; ``done`` when the stage has produced what it is for."""
    if any(f.kind == "look" for f in findings):
        return "look"
    return "settled" if done else "untouched"
