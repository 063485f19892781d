"""What each role may ask, and is told, over the line of its page."""

import pytest

from cattailer.core.access.rights import EVERYTHING, OWN_MIX_ONLY, PLAYER_FRAME, READS_ONLY, Rights
from cattailer.core.access.roles import Device, Role
from cattailer.core.patch.patch import PatchMix

OWN = PatchMix(4, "Cue band", "cue", ())
ASSISTANT = Rights(Device(1, "Desk two", Role.ASSISTANT))
PLAYER = Rights(Device(2, "Phone", Role.PLAYER, "Cue band"), OWN)


@pytest.mark.parametrize(("rights", "asked", "listened", "targets", "why"), [
    (EVERYTHING, {"move", "keys", "levels"}, 3, {"", "mix:3"}, ""),
    (ASSISTANT, {"listen", "levels", "tune"}, 3, set(), ""),
    (ASSISTANT, {"levels", "move"}, 0, {"mix:4"}, READS_ONLY),
    (ASSISTANT, {"settle"}, 0, set(), READS_ONLY),
    (ASSISTANT, {"keys"}, 0, set(), READS_ONLY),
    (PLAYER, {"listen", "move", "settle", "calm"}, 4, {"mix:4"}, ""),
    (PLAYER, {"listen"}, 0, set(), ""),
    (PLAYER, {"listen"}, 5, set(), OWN_MIX_ONLY),
    (PLAYER, {"move"}, 0, {"mix:4", "mix:5"}, OWN_MIX_ONLY),
    (PLAYER, {"move"}, 0, {""}, OWN_MIX_ONLY),
    (PLAYER, {"levels"}, 0, set(), OWN_MIX_ONLY),
    (Rights(PLAYER.device), {"listen"}, 0, set(), OWN_MIX_ONLY),
])
def test_wishes_by_role(rights: Rights, asked: set[str], listened: int, targets: set[str], why: str) -> None:
    assert rights.refuses(asked, listened, targets) == why


def test_a_player_is_told_where_it_is_and_not_what_others_do() -> None:
    frame = dict.fromkeys(PLAYER_FRAME | {"tracks", "take", "run"}, 1) | {"topic": "frame"}
    told = PLAYER.told(frame)
    assert told is not None
    assert set(told) == PLAYER_FRAME
    assert PLAYER.told({"topic": "wave", "peaks": [1.0]}) is None
    assert PLAYER.told({"topic": "problem", "message": "no"}) == {"topic": "problem", "message": "no"}
    assert EVERYTHING.told(frame) is ASSISTANT.told(frame) is frame
