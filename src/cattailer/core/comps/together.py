"""Which tracks are chosen and cut together."""

from collections.abc import Collection, Mapping, Sequence


def together(track: int, by_hand: Mapping[int, int | None], players: Sequence[Collection[int]]) -> list[int]:
    """The tracks that go with one, itself included, in the order of ``by_hand``.

    ``by_hand``: for every track the one with which somebody put it, itself where it stands alone, None where who played
    settles it: ``players`` are the tracks of each player. Somebody's word goes before that.
    """
    lead = _lead(track, by_hand, players)
    return [other for other in by_hand if _lead(other, by_hand, players) == lead]


def _lead(track: int, by_hand: Mapping[int, int | None], players: Sequence[Collection[int]]) -> int:
    """The track by which a set of them is known."""
    seen: set[int] = set()
    while (said := by_hand.get(track)) is not None and said in by_hand and track not in seen:
        if said == track:
            return track
        seen.add(track)
        track = said
    own = next((tracks for tracks in players if track in tracks), ())
    return min((t for t in own if by_hand.get(t) is None), default=track) if by_hand.get(track) is None else track
