"""The locker of what goes on right now."""

from dataclasses import dataclass, field

from cattailer.services.desk.live import Live


@dataclass
class Walks:
    done: list[int] = field(default_factory=list)


@dataclass
class Loads:
    by_period: dict[int, float] = field(default_factory=dict)


def test_a_session_has_one_of_each_type() -> None:
    live = Live()
    live.of(1, Walks).done.append(3)
    assert live.of(1, Walks).done == [3]
    assert live.of(2, Walks).done == []
    assert live.find(1, Loads) is None, "asking for one type makes no other"
    live.put(1, Loads({64: 0.5}))
    assert live.of(1, Loads).by_period == {64: 0.5}
    assert live.all(Walks) == [Walks([3]), Walks()]
    assert live.take(1, Walks) == Walks([3])
    assert live.take(1, Walks) is None
    assert live.all(Loads) == [Loads({64: 0.5})]
