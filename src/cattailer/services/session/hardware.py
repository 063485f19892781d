"""The interface of a session: profile, rate, bit depth, and where its media go."""

from cattailer.core.errors import NotNow
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.rate import lacking, put_at
from cattailer.store.models import Input


def choose_interface(desk: Desk, session_id: int, key: str) -> None:
    """Another interface for a session. Rate, buffer and bits go to the nearest it offers; rows of
    sockets that it lacks are kept, so that going back loses nothing."""
    desk.check_hardware(session_id, "changing the interface")
    with editing(desk, session_id) as edit:
        profile, session = desk.profile(key), edit.session
        rate_hz, period, bits = profile.settle(session.rate_hz, session.period, session.bits)
        if rate_hz != session.rate_hz and lacking(edit.db, session, rate_hz):
            raise NotNow(
                f"The takes of this session are in {session.rate_hz / 1000:g} kHz, which {profile.name} lacks. "
                "Nothing was changed. Convert them first (Timing, Sample rate), or copy the session without its takes."
            )
        edit.what = f"Interface is {profile.name}"
        session.interface, session.period, session.bits = key, period, bits
        if rate_hz != session.rate_hz:
            put_at(edit.db, session, rate_hz)
        listed = {i.socket for i in session.inputs}
        session.inputs += [Input(socket=n) for n in range(1, profile.inputs + 1) if n not in listed]


def choose_bits(desk: Desk, session_id: int, bits: int) -> None:
    """For captures from now on; takes that are there keep theirs."""
    desk.forbid_while_capturing(session_id, "the bit depth")
    with editing(desk, session_id) as edit:
        desk.profile(edit.session.interface).check_bits(bits)
        edit.what = f"Bit depth is {bits} bit{' float' if bits == 32 else ''}"
        edit.session.bits = bits
