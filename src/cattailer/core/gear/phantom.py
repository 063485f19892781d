"""48 V: what switching it means for what is plugged in."""

_ON = {
    "ribbon": "48 V can destroy a ribbon that is not protected",
    "line": "48 V can damage what is behind a line output",
    "instrument": "48 V can damage an instrument's electronics",
}


def warning(pickup: str, name: str, on: bool) -> str:
    """What to ask before switching, in words; empty when nothing can happen."""
    if on and pickup in _ON:
        return f"{name} is noted as {pickup}: {_ON[pickup]}."
    if not on and pickup == "condenser":
        return f"{name} is a condenser and falls silent without 48 V."
    return ""


def unplugging(phantom: bool, pickup: str, name: str) -> str:
    """What to ask before something is unplugged; empty when it may just go."""
    if phantom and pickup in ("condenser", "ribbon", ""):
        return f"48 V is on at {name}. Unplugging it under power thumps and can harm it: power it down first."
    return ""
