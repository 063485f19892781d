"""A foot switch: each press starts a capture, or stops whatever goes on. It reads a MIDI pedal, or the Enter key.

    python examples/footswitch.py                      on the studio machine
    python examples/footswitch.py --midi "Pedal"       a MIDI input by a part of its name (needs mido and python-rtmidi)
    python examples/footswitch.py --url https://studio.local:8443 --key KEY --certificate certificate.pem

KEY is from the page of devices; certificate.pem is a copy of the studio's, in the folder keys of its home.
"""

import argparse
import json
import ssl
import urllib.error
import urllib.request
from collections.abc import Iterator
from typing import Any

SUSTAIN, DOWN = 64, 64
"""What pedals send: controller 64, from 64 up when it is pressed (MIDI 1.0)."""


def press(url: str, key: str, trusted: ssl.SSLContext | None) -> str:
    """What became of it, in words."""
    headers = {"Content-Type": "application/json", **({"Authorization": f"Bearer {key}"} if key else {})}
    asked = urllib.request.Request(f"{url}/api/1/pedal", json.dumps({"capture": True}).encode(), headers)
    try:
        with urllib.request.urlopen(asked, timeout=5, context=trusted) as answer:
            return str(json.load(answer)["state"])
    except urllib.error.HTTPError as why:
        return f"not done: {why.read().decode()}"
    except OSError as why:
        return f"the studio does not answer ({why}); press once more"


def is_press(message: Any) -> bool:
    """Whether a MIDI message is a foot going down: a pedal, or a note of a pad."""
    if message.type == "control_change":
        return bool(message.control == SUSTAIN and message.value >= DOWN)
    return bool(message.type == "note_on" and message.velocity > 0)


def presses(midi: str) -> Iterator[None]:
    if not midi:
        while True:
            input("Enter: ")
            yield
    import mido

    names = [name for name in mido.get_input_names() if midi.lower() in name.lower()]
    if not names:
        known = ", ".join(mido.get_input_names()) or "none"
        raise SystemExit(f"No MIDI input has “{midi}” in its name; there are: {known}.")
    with mido.open_input(names[0]) as port:
        for message in port:
            if is_press(message):
                yield


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--url", default="http://127.0.0.1:8080")
    for name in ("--key", "--midi", "--certificate"):
        parser.add_argument(name, default="")
    wanted = parser.parse_args()
    trusted = ssl.create_default_context(cafile=wanted.certificate or None) if wanted.url.startswith("https") else None
    try:
        for _ in presses(wanted.midi):
            print(press(wanted.url.rstrip("/"), wanted.key, trusted), flush=True)
    except (EOFError, KeyboardInterrupt):
        print()


if __name__ == "__main__":
    main()
