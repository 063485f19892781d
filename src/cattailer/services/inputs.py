"""What is plugged where, and its preamp."""

from cattailer.services.desk import Desk
from cattailer.services.editing import editing


def set_gain(desk: Desk, session_id: int, socket: int, gain_db: float) -> float:
    """Sets the preamp's gain, rounded to its steps; returns what it is now.

    Raises Refusal outside the preamp's range, NotFound for a socket that is not in the session.
    """
    with editing(desk, session_id) as edit:
        gain = desk.profile(edit.session.interface).check_gain(gain_db)
        row = edit.input(socket)
        edit.what = f"Gain of socket {socket} from {row.gain_db:+g} to {gain:+g} dB"
        edit.put(row, f"input {socket}", gain_db=gain)
        return gain


def set_phantom(desk: Desk, session_id: int, socket: int, on: bool) -> None:
    """Switches 48 V. While a capture runs it must wait: the thump would be in the take."""
    desk.forbid_while_capturing(session_id, "48 V")
    with editing(desk, session_id) as edit:
        edit.what = f"48 V {'on' if on else 'off'} at socket {socket}"
        edit.put(edit.input(socket), f"input {socket}", phantom=on)
