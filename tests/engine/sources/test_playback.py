"""Pieces read ahead: in pages, of which edits read again only what they changed."""

from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from cattailer.core.comps.comppiece import CompPiece, Pieces
from cattailer.core.comps.laying import lay
from cattailer.core.comps.sounding import Stretch, TakeSound, sound_of
from cattailer.core.plan import Plan, TrackPlan
from cattailer.engine.sources.playback import PAGE, Playback
from cattailer.media import bwf, piecesound, wavfile
from tests.helpers.plans import plan_of

LONG = 3 * PAGE
RATE = 48_000


@pytest.fixture(scope="module")
def takes(tmp_path_factory: pytest.TempPathFactory) -> dict[int, TakeSound]:
    folder = tmp_path_factory.mktemp("takes")
    out = {}
    for take in (1, 2, 3):
        path = folder / f"{take}.wav"
        writer = bwf.BwfWriter(path, bwf.Format(RATE, 1, 32), bwf.Origin("S", "T", 0, datetime.now(UTC)))
        writer.write(np.random.default_rng(take).uniform(-0.5, 0.5, (1, LONG)).astype(np.float32))
        writer.close()
        out[take] = TakeSound(take, (Stretch(0, LONG, str(path), 0),))
    return out


def plan_with(takes: dict[int, TakeSound], comps: list[Pieces]) -> Plan:
    tracks = [TrackPlan(n, f"T{n}", (0,), False) for n in range(1, len(comps) + 1)]
    pieces = [p for n, comp in enumerate(comps, 1) for p in sound_of(n, comp, takes, RATE)]
    return plan_of(*tracks, pieces=tuple(pieces))


piece = st.builds(
    CompPiece, st.integers(1, 3), st.integers(0, 2 * PAGE), st.integers(200, PAGE), st.integers(0, PAGE),
    st.sampled_from([0.0, -6.0]),
)
comp = st.lists(piece, min_size=0, max_size=4).map(lambda many: lay((), *many))


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(comp, min_size=3, max_size=3), st.integers(0, 2), comp, st.integers(0, PAGE))
def test_after_an_edit_everything_sounds_as_if_it_were_read_anew(
    takes: dict[int, TakeSound], comps: list[Pieces], where: int, other: Pieces, at: int
) -> None:
    before, after = plan_with(takes, comps), plan_with(takes, [*comps[:where], other, *comps[where + 1 :]])
    old = Playback(before)
    old.pump([at])
    edited, fresh = Playback(after, old), Playback(after)
    for playback in (edited, fresh):
        playback.pump([at])
    for start in range(at, at + 2 * PAGE, 3001):
        mine, wanted = edited.block(start, 3001), fresh.block(start, 3001)
        assert (mine is None) == (wanted is None)
        assert mine is None or np.array_equal(mine, wanted)


def test_only_what_changed_is_read_again(takes: dict[int, TakeSound], monkeypatch: pytest.MonkeyPatch) -> None:
    read: list[str] = []
    real = wavfile.read
    monkeypatch.setattr(piecesound.wavfile, "read", lambda info, *a: (read.append(info.path.name), real(info, *a))[1])
    comps: list[Pieces] = [(CompPiece(t, 0, LONG, 0),) for t in (1, 2, 3)]
    plan = plan_with(takes, comps)
    old = Playback(plan)
    old.pump([0])
    read.clear()
    changed = [comps[0], (CompPiece(2, 0, PAGE // 2, 0), CompPiece(1, PAGE // 2, LONG - PAGE // 2, PAGE // 2)), comps[2]]
    Playback(plan_with(takes, changed), old).pump([0])
    assert set(read) == {"1.wav", "2.wav"}, "the third track's file is not touched, nor the first track's rows"
    assert len(read) <= 2 + LONG // PAGE
    read.clear()
    Playback(replace(plan, click=True), old).pump([0])
    assert read == []
    far: list[Pieces] = [comps[0], (CompPiece(2, 0, 2 * PAGE, 0), CompPiece(3, 2 * PAGE, PAGE, 2 * PAGE)), comps[2]]
    edited = Playback(plan_with(takes, far), old)
    edited.pump([0])
    assert edited._pages[0] is old._pages[0], "what sounds before the edit is not made anew"
    assert set(read) == {"2.wav", "3.wav"}
