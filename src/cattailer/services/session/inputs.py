"""What is plugged where, and its preamp."""

from collections.abc import Callable

from cattailer.core.errors import NotNow, Refusal, Sure
from cattailer.core.gear import phantom
from cattailer.core.gear.interface import SWITCHES, Profile
from cattailer.core.naming import clean_name
from cattailer.core.patch.ends import socket_end
from cattailer.core.patch.patch import PICKUPS, PatchInput
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.rows import INPUT_FIELDS
from cattailer.store.models import Input

TEXTS = {
    "label": "label", "source": "source", "technique": "technique", "distance": "distance", "aim": "aim",
    "note": "notes",
}


def set_gain(desk: Desk, session_id: int, socket: int, gain_db: float, was: float | None = None) -> float:
    """Sets the preamp's gain, rounded to its steps; returns what it is now.

    Raises Refusal outside the preamp's range and where there is none, NotFound for a socket that
    is not in the session.
    """
    return _change_gain(desk, session_id, socket, lambda profile, _: profile.check_gain(gain_db), was)


def step_gain(desk: Desk, session_id: int, socket: int, by_db: float) -> float:
    """Turns the preamp up or down from where it is, as far as it goes; returns what it is now. Raises as
    ``set_gain``."""
    return _change_gain(desk, session_id, socket, lambda p, now: p.check_gain(p.check_knob(now + by_db)))


def _change_gain(
    desk: Desk, session_id: int, socket: int, to: Callable[[Profile, float], float], was: float | None = None
) -> float:
    with editing(desk, session_id) as edit:
        row = edit.input(socket)
        profile = desk.profile(edit.session.interface)
        if not profile.socket(socket).preamp:
            raise Refusal(f"Socket {socket} ({profile.socket(socket).connector}) has no preamp, so its gain is fixed.")
        gain = to(profile, row.gain_db)
        edit.expect(row, "gain_db", was, f"The gain of socket {socket}")
        edit.what = f"Gain of socket {socket} from {row.gain_db:+g} to {gain:+g} dB"
        row.gain_db = gain
        return gain


def set_text(desk: Desk, session_id: int, socket: int, name: str, text: str, was: str | None = None) -> None:
    """Label, source, placement or notes of a socket; empty is allowed."""
    if name not in TEXTS:
        raise Refusal("There is no such field; nothing was changed.")
    text = clean_name(text, TEXTS[name]) if text.strip() else ""
    with editing(desk, session_id) as edit:
        row = edit.input(socket)
        edit.expect(row, name, was, f"The {TEXTS[name]} of socket {socket}")
        edit.what = f"{TEXTS[name].capitalize()} of socket {socket}: {text or 'cleared'}"
        setattr(row, name, text)
        if name in ("label", "source"):
            row.checked = False


def set_pickup(desk: Desk, session_id: int, socket: int, pickup: str, was: str | None = None) -> None:
    if pickup and pickup not in PICKUPS:
        raise Refusal(f"A pick-up is one of {', '.join(PICKUPS)}; nothing was changed.")
    with editing(desk, session_id) as edit:
        row = edit.input(socket)
        edit.expect(row, "pickup", was, f"The pick-up of socket {socket}")
        edit.what = f"Socket {socket}: pick-up {f'is {pickup}' if pickup else 'cleared'}"
        row.pickup = pickup


def switch(desk: Desk, session_id: int, socket: int, what: str, on: bool, sure: bool = False) -> None:
    """48 V, pad, low cut, polarity, instrument switch or soft limit of a socket.

    48 V that is shared goes on or off for its whole bank. Raises Refusal for what the socket lacks,
    NotNow for 48 V while a capture runs, and Sure when what is plugged could suffer.
    """
    if what not in SWITCHES:
        raise Refusal("There is no such switch; nothing was changed.")
    if what in ("phantom", "pad", "instrument", "soft_limit"):
        desk.forbid_while_capturing(session_id, SWITCHES[what])
    with editing(desk, session_id) as edit:
        profile = desk.profile(edit.session.interface)
        reason = profile.socket(socket).why_not(what)
        if reason and on:
            raise Refusal(f"{reason} Nothing was changed.")
        word = f"{SWITCHES[what]} {'on' if on else 'off'}"
        if what == "phantom":
            bank = [edit.input(n) for n in profile.bank(socket)]
            if not sure:
                _ask(bank, on)
            edit.what = f"{word} at {_listed(bank)}"
            for row in bank:
                row.phantom = on
        else:
            edit.what = f"{word.capitalize()} at socket {socket}"
            setattr(edit.input(socket), what, on)


def unplug(desk: Desk, session_id: int, socket: int, sure: bool = False) -> None:
    """Takes what is plugged off the list. A powered condenser asks to be powered down first."""
    desk.forbid_while_capturing(session_id, "unplugging")
    with editing(desk, session_id) as edit:
        row = edit.input(socket)
        why = phantom.unplugging(row.phantom, row.pickup, f"socket {socket}{f' ({row.label})' if row.label else ''}")
        if why and not sure:
            raise Sure(why, "Switch 48 V off, then unplug")
        edit.what = f"{row.label or f'Socket {socket}'} unplugged from socket {socket}"
        blank = PatchInput(socket)
        for name in INPUT_FIELDS:
            setattr(row, name, getattr(blank, name))
        _power_bank_down(edit, desk.profile_or_blank(edit.session.interface), socket)


def exchange(desk: Desk, session_id: int, one: int, other: int) -> None:
    """What is listed at two sockets changes places: with its preamp's settings, and the tracks follow."""
    desk.forbid_while_capturing(session_id, "moving sources")
    with editing(desk, session_id) as edit:
        profile = desk.profile_or_blank(edit.session.interface)
        a, b = edit.input(one), edit.input(other)
        if one == other:
            raise Refusal("A source cannot change places with itself; nothing was changed.")
        for row, socket in ((a, other), (b, one)):
            if row.phantom and not profile.socket(socket).has("phantom"):
                name = row.label or "That source"
                raise NotNow(f"{name} needs 48 V, which socket {socket} lacks. Nothing was changed.")
        names = [row.label for row in (a, b) if row.label]
        edit.what = (
            f"{names[0]} and {names[1]} changed places: sockets {one} and {other}" if len(names) == 2
            else f"{names[0] if names else 'Source'} moved from socket {one if a.label or not names else other} "
                 f"to {other if a.label or not names else one}"
        )
        for name in INPUT_FIELDS:
            kept = getattr(a, name)
            setattr(a, name, getattr(b, name))
            setattr(b, name, kept)
        turned = {socket_end(one): socket_end(other), socket_end(other): socket_end(one)}
        for track in edit.session.tracks:
            track.feeds = [turned.get(f, f) for f in track.feeds]


def put_away(desk: Desk, session_id: int, kind: str, numbers: list[int]) -> None:
    """Sockets ("inputs") or outputs that are not shown. Those in use stay in sight."""
    with editing(desk, session_id) as edit:
        profile = desk.profile_or_blank(edit.session.interface)
        count = profile.inputs if kind == "inputs" else profile.outputs
        away = sorted({n for n in numbers if 1 <= n <= count})
        word = "sockets" if kind == "inputs" else "outputs"
        edit.what = f"Put away: {word} {', '.join(map(str, away))}" if away else f"All {word} shown"
        setattr(edit.session, "away_inputs" if kind == "inputs" else "away_outputs", away)


def _ask(bank: list[Input], on: bool) -> None:
    reasons = [phantom.warning(row.pickup, row.label or f"socket {row.socket}", on) for row in bank]
    reasons = [r[0].upper() + r[1:] for r in reasons if r]
    if reasons:
        shared = f" Sockets {'+'.join(str(r.socket) for r in bank)} share one switch." if len(bank) > 1 else ""
        raise Sure(" ".join(reasons) + shared, f"Switch 48 V {'on' if on else 'off'} all the same")


def _power_bank_down(edit: Edit, profile: Profile, socket: int) -> None:
    """Sockets that share the switch go off with it."""
    if socket <= profile.inputs:
        for number in profile.bank(socket):
            edit.input(number).phantom = False


def _listed(bank: list[Input]) -> str:
    return f"socket {bank[0].socket}" if len(bank) == 1 else f"sockets {'+'.join(str(r.socket) for r in bank)}"
