"""The locker of what goes on right now."""

import threading
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


def test_many_who_ask_at_once_get_the_same() -> None:
    live, found = Live(), []
    ready = threading.Barrier(8)

    def ask() -> None:
        ready.wait()
        found.append(live.of(1, Walks))

    threads = [threading.Thread(target=ask) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert all(each is found[0] for each in found)
