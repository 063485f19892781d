"""The signal flow as a graph: what leads where, in pictures' and people's terms."""

from collections import defaultdict
from dataclasses import dataclass, field

from cattailer.core.errors import Refusal
from cattailer.core.gear.interface import Profile
from cattailer.core.patch.ends import (
    GROUP,
    MIX,
    OUTPUT,
    RETURN,
    SOCKET,
    SOFT,
    SOFTWARE,
    TRACK,
    end_of,
    kind_of,
    number_of,
    output_end,
    socket_end,
    socket_of,
    software_end,
)
from cattailer.core.patch.patch import Patch

KINDS = (SOCKET, SOFT, TRACK, GROUP, RETURN, MIX, OUTPUT)


@dataclass(frozen=True)
class End:
    """A place on the way. ``number`` is what is printed on the panel, if anything."""

    key: str
    name: str
    number: str = ""

    @property
    def kind(self) -> str:
        return self.key.partition(":")[0]


@dataclass(frozen=True)
class Flow:
    """All ends that matter, in order, and the links between them."""

    ends: tuple[End, ...]
    links: tuple[tuple[str, str], ...]
    _after: dict[str, list[str]] = field(init=False, repr=False, compare=False)
    _before: dict[str, list[str]] = field(init=False, repr=False, compare=False)
    by_key: dict[str, End] = field(init=False, repr=False, compare=False)
    _mixes: tuple[str, ...] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        after: dict[str, list[str]] = defaultdict(list)
        before: dict[str, list[str]] = defaultdict(list)
        for a, b in self.links:
            after[a].append(b)
            before[b].append(a)
        object.__setattr__(self, "_after", after)
        object.__setattr__(self, "_before", before)
        object.__setattr__(self, "by_key", {e.key: e for e in self.ends})
        object.__setattr__(self, "_mixes", tuple(e.key for e in self.ends if e.kind == "mix"))

    def after(self, key: str) -> list[str]:
        return self._after.get(key, [])

    def before(self, key: str) -> list[str]:
        return self._before.get(key, [])

    def _reach(self, key: str, onward: bool) -> list[str]:
        found: dict[str, None] = {}
        left = [key]
        while left:
            for end in (self.after if onward else self.before)(left.pop(0)):
                if end not in found:
                    found[end] = None
                    left.append(end)
        return list(found)

    def way(self, key: str) -> list[str]:
        """Everything upstream and downstream of an end, and the end itself."""
        return [*reversed(self._reach(key, False)), key, *self._reach(key, True)]

    def circle(self, start: str, target: str) -> list[str]:
        """The ends round which the signal would go if ``start`` led to ``target``; empty if none."""
        if start == target:
            return [start, start]
        came: dict[str, str] = {target: ""}
        left = [target]
        while left:
            at = left.pop(0)
            for end in self.after(at):
                if end in came:
                    continue
                came[end] = at
                if end == start:
                    back = [end]
                    while came[back[-1]]:
                        back.append(came[back[-1]])
                    return [start, *reversed(back)]
                left.append(end)
        return []

    def leads_nowhere(self, key: str) -> bool:
        return not self.after(key) and kind_of(key) != OUTPUT

    def name(self, key: str) -> str:
        end = self.by_key.get(key)
        return end.name if end else key

    def in_words(self, key: str) -> list[str]:
        """The way of an end as sentences."""
        end = self.by_key[key]
        up, down = self._reach(key, False), self._reach(key, True)
        out = []
        sources = [k for k in reversed(up) if kind_of(k) in (SOCKET, SOFT)]
        through = [k for k in down if kind_of(k) in (TRACK, GROUP, RETURN)]
        if sources:
            out.append(f"Fed by {_and([self._source(k) for k in sources])}.")
        elif end.kind in ("track", "group", "return", "mix"):
            out.append("Nothing feeds it.")
        if through:
            out.append(f"Goes through {_and([self.name(k) for k in through])}.")
        reached = {key, *down}
        heard = [k for k in self._mixes if k in reached]
        out += [self._heard(mix, mix == key) for mix in heard]
        if end.kind == "out" and not up:
            out.append("Nothing is sent there.")
        elif end.kind == "out":
            out.append(f"Carries {_and([self.name(k) for k in up if kind_of(k) == MIX])}.")
        elif not heard:
            out.append("It leads nowhere." if self.leads_nowhere(key) else "It is not heard in any mix.")
        return out

    def ears(self, key: str) -> list[str]:
        """Where an end is heard: the mixes that it reaches and that have an output, in words."""
        reached = {key, *self._reach(key, True)}
        outputs = {m: "+".join(self.by_key[k].number for k in self.after(m)) for m in self._mixes if m in reached}
        return [f"{self.name(mix)}, outputs {printed}" for mix, printed in outputs.items() if printed]

    def from_outside(self, key: str) -> bool:
        """Whether a socket feeds it, straight or through groups."""
        return any(kind_of(k) == SOCKET for k in self._reach(key, False))

    def _heard(self, mix: str, itself: bool) -> str:
        outputs = "+".join(self.by_key[k].number for k in self.after(mix))
        if itself:
            return f"It is on outputs {outputs}." if outputs else "It has no output."
        return f"Heard in {self.name(mix)}, {f'outputs {outputs}' if outputs else 'which has no output'}."

    def _source(self, key: str) -> str:
        end = self.by_key[key]
        return f"socket {end.number}{f' ({end.name})' if end.name else ''}" if end.kind == "in" else end.name


def flow(patch: Patch, profile: Profile) -> Flow:
    """The graph of a patch: used sockets, software sources, tracks, groups, mixes, outputs in use."""
    links = [(end_of(f), t.key) for t in patch.tracks for f in dict.fromkeys(t.feeds) if f]
    links = list(dict.fromkeys(links)) + [(a, b) for a, b in patch.routes]
    links += [(m.key, output_end(m.outputs[0])) for m in patch.mixes if m.outputs]
    fed = {a for a, _ in links}
    sockets = sorted({i.socket for i in patch.inputs if i.used} | {number_of(k) for k in fed if kind_of(k) == SOCKET})
    names = {i.socket: i.name for i in patch.inputs}
    outputs = {m.outputs[0]: "+".join(map(str, m.outputs)) for m in patch.mixes if m.outputs}
    ends = [
        *(End(socket_end(s), names.get(s, ""), str(s)) for s in sockets if s <= profile.inputs),
        *(End(socket_end(s), "not on this interface", str(s)) for s in sockets if s > profile.inputs),
        *(End(software_end(s), s.capitalize()) for s in SOFTWARE),
        *(End(t.key, t.name) for t in patch.tracks),
        *(End(g.key, g.name) for g in patch.groups),
        *(End(r.key, r.name) for r in patch.returns),
        *(End(m.key, m.name) for m in patch.mixes),
        *(End(output_end(first), f"outputs {both}", both) for first, both in sorted(outputs.items())),
    ]
    known = {e.key for e in ends}
    return Flow(tuple(ends), tuple((a, b) for a, b in links if a in known and b in known))


def check_route(patch: Patch, profile: Profile, start: str, target: str) -> None:
    """Raises Refusal when a route cannot be or would close a loop, which is named."""
    kinds = {
        TRACK: (GROUP, RETURN, MIX), GROUP: (GROUP, RETURN, MIX, TRACK), RETURN: (GROUP, RETURN, MIX), SOCKET: (TRACK,),
        SOFT: (TRACK,),
    }
    drawn = flow(patch, profile)
    if kind_of(target) not in kinds.get(kind_of(start), ()) or target not in drawn.by_key:
        raise Refusal("There is no such way for a signal, so nothing was changed.")
    if start not in drawn.by_key and socket_of(start) is None:
        raise Refusal("There is no such source, so nothing was changed.")
    circle = drawn.circle(start, target)
    if circle:
        names = " → ".join(drawn.name(k) for k in circle)
        raise Refusal(f"That would close a loop: {names}. The route was not made; the others are as they were.", 409)


def _and(names: list[str]) -> str:
    if len(names) > 8:
        names = [*names[:7], f"{len(names) - 7} more"]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
