"""Which voices a plan has, and what leads where: through groups and returns to the mixes.

What a group or return sounds differs by who hears it: mutes and solos act on the main mix only, and choices of
listening never on capture. Where anything is soloed, the main mix plays the ways that lead through it, and no others: a
solo takes away and never adds.
"""

from dataclasses import dataclass, field

from cattailer.core.errors import Refusal
from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Effects
from cattailer.core.mix.flow import APART, OF_CLICK, OF_GUIDE, VOICE, Voice, is_inside
from cattailer.core.mix.gains import STRAIGHT, Sides, pan_gains
from cattailer.core.mix.listening import AUTO, CHANNEL, OFF, RAW, THROUGH, Listen
from cattailer.core.patch.ends import CLICK, GUIDE, group_end, mix_end, return_end, track_end
from cattailer.core.plan import SOFTWARE_CHANNELS, GroupPlan, MixPlan, Plan, ReturnPlan, TrackPlan
from cattailer.core.units import amplitude

MAIN, EARS, FEED_LIVE, FEED_MADE = "main", "ears", "live feed", "made feed"
SOLOED = "main, soloed"
"""The main mix behind an end that is soloed: all that leads to it sounds."""
NO_EFFECTS = Effects()


@dataclass
class Node:
    key: str
    channels: int
    effects: Effects
    voice: int = -1
    """The first channel of a voice, -1 for a sum."""
    edges: list[tuple[int, int, float, float]] = field(default_factory=list)
    """(node, channel of it, gain into the first channel, gain into the second, if there is one); nodes come after those
    that lead to them."""

    def lead(self, source: int, gains: Sides, level: float) -> None:
        """Leads a node here, each channel with its two gains."""
        for channel, (left, right) in enumerate(gains):
            self.edges.append((source, channel, level * left, level * right))


class Ways:
    """``nodes`` in order; ``last``: those of the mixes, then those that feed tracks. ``voices`` with the channels of
    each."""

    def __init__(self, plan: Plan, path: str) -> None:
        self.plan, self._path = plan, path
        self.nodes: list[Node] = []
        self._known: dict[str, int] = {}
        self._open: set[str] = set()
        self._sums: dict[str, list[int]] = {}
        self.voices: list[tuple[Voice, int]] = []
        self.channels = 0
        self._cells = {c.route: c for c in plan.cells}
        self._into: dict[str, list[str]] = {}
        for start, target in plan.routes:
            self._into.setdefault(target, []).append(start)
        self._tracks = {track_end(t.id): n for n, t in enumerate(plan.tracks)}
        self._groups = {group_end(g.id): g for g in plan.groups}
        self._returns = {return_end(r.id): r for r in plan.returns}
        self._solos = any(t.soloed for t in plan.tracks) or any(g.soloed for g in plan.groups)
        self._inside = [is_inside(plan, n) for n in range(len(plan.tracks))]
        self._fader = [amplitude(t.fader_db) for t in plan.tracks]
        self._voice_of: dict[tuple[int, str, bool, bool, bool, bool, bool], int] = {}
        self.take_rows = plan.take_rows
        self._printed = frozenset(track for track, printed in self.take_rows if printed)
        # Cue mixes first: what sounds alike in ears and in the main mix is computed once, and goes on in ears.
        made = {m.id: self._mix(m, n == 0) for n, m in reversed([*enumerate(plan.mixes)])}
        self.last = [made[m.id] for m in plan.mixes]
        self.feeders = plan.feeders if self._path == THROUGH else ()
        for world in (FEED_LIVE, FEED_MADE):
            self.last += [self._sum(group_end(g), world) for g in self.feeders]

    def lies_as(self, plan: Plan) -> bool:
        """Whether takes come in on the same rows in another plan of the same tracks."""
        return plan.pieces is self.plan.pieces or plan.take_rows == self.take_rows

    def go_on(self, plan: Plan) -> None:
        """With a plan that differs in cells and levels of mixes only."""
        self.plan, self._cells = plan, {c.route: c for c in plan.cells}

    def _mix(self, mix: MixPlan, main: bool) -> int:
        return self._add(self.mix_node(mix, main))

    def mix_node(self, mix: MixPlan, main: bool) -> Node:
        node = Node(mix_end(mix.id), 2, NO_EFFECTS)
        world, overall = (MAIN if main else EARS), amplitude(mix.fader_db)
        if main and self.plan.alone:
            self._alone(node, overall)
        else:
            for start in self._into.get(node.key, ()):
                self._into_mix(node, mix, main, world, start, overall)
        if self._path == THROUGH:
            self._click(node, mix, overall)
            if not main:
                self._lead_inside(node, GUIDE, OF_GUIDE, overall)
        return node

    def _into_mix(self, node: Node, mix: MixPlan, main: bool, world: str, start: str, level: float) -> None:
        cell = self._cells.get((start, node.key))
        # What is muted stays where it is, at nothing: so a mute is a gain that glides.
        if cell is not None:
            level *= 0.0 if cell.muted else amplitude(cell.level_db)
        fader, pan = main or mix.after_fader, cell.pan if cell is not None else None
        place = self._tracks.get(start)
        if place is not None:
            track = self.plan.tracks[place]
            if not self._sounds(track, world):
                level = 0.0
            if not main and mix.forward_db:
                level *= amplitude(mix.forward_db / 2 * (1 if track.id in mix.own else -1))
            listen = track.listen if cell is None else cell.listen(track.listen)
            # In the main mix the fader is the level; in a cue mix it acts on the live input at the channel's end only.
            live_faded = main or (fader and listen.point == CHANNEL)
            faded = level * self._fader[place]
            gains = track.sides(pan)
            self._listen(node, place, listen, gains, faded if fader else level, None if live_faded == fader else level)
            return
        end = self._end(start)
        if end is None:
            return
        if main and end.muted:
            level = 0.0
        if not main and mix.forward_db:
            level *= amplitude(-mix.forward_db / 2)
        level *= amplitude(end.fader_db) if fader else 1.0
        node.lead(self._sum(start, self._behind(end, world)), STRAIGHT if pan is None else pan_gains(pan, 2), level)

    def _sounds(self, track: TrackPlan, world: str) -> bool:
        """Whether a track goes into a world by a way of its own."""
        if world not in (MAIN, SOLOED):
            return True
        return not track.muted and (world == SOLOED or not self._solos or track.soloed)

    @staticmethod
    def _behind(end: GroupPlan | ReturnPlan, world: str) -> str:
        """The world of what leads to a group or return."""
        return SOLOED if world == MAIN and isinstance(end, GroupPlan) and end.soloed else world

    def _end(self, key: str) -> GroupPlan | ReturnPlan | None:
        return self._groups.get(key) or self._returns.get(key)

    def _alone(self, node: Node, overall: float) -> None:
        """The main mix plays one end only, before its fader."""
        key = self.plan.alone
        if key in self._tracks:
            place = self._tracks[key]
            track = self.plan.tracks[place]
            self._listen(node, place, track.listen, pan_gains(0.0, len(track.inputs)), overall)
        elif self._end(key) is not None:
            node.lead(self._sum(key, EARS), STRAIGHT, overall)

    def _click(self, node: Node, mix: MixPlan, overall: float) -> None:
        wanted = self.plan.clicking.mixes
        self._lead_inside(node, CLICK, OF_CLICK, 0.0 if wanted and mix.id not in wanted else overall)

    def _lead_inside(self, node: Node, key: str, of: int, level: float) -> None:
        """What goes everywhere by itself: its cell is there only where it differs."""
        cell = self._cells.get((key, node.key), Cell(key, node.key))
        gains = STRAIGHT if cell.pan is None else pan_gains(cell.pan, 2)
        node.lead(self._voice(of, AUTO, True, False), gains, 0.0 if cell.muted else level * amplitude(cell.level_db))

    def _listen(
        self, node: Node, place: int, listen: Listen, gains: Sides, play_level: float, live_level: float | None = None
    ) -> None:
        """Leads a track's voices to a node: one, or one live and one captured where those go different ways, as they do
        where the live one has a level of its own."""
        live, together = self._is_live(place, listen), live_level is None
        live_level = play_level if live_level is None else live_level
        if self._path != THROUGH:
            if live:
                node.lead(self._voice(place, listen.when, True, False, True), gains, live_level)
            return
        raw = listen.point == RAW
        self._lead_printed(node, place, gains, play_level)
        if live and not raw and together:
            node.lead(self._voice(place, listen.when, True, True), gains, play_level)
            return
        if live:
            node.lead(self._voice(place, listen.when, True, False, raw), gains, live_level)
        node.lead(self._voice(place, AUTO, False, True), gains, play_level)

    def _lead_printed(self, node: Node, place: int, gains: Sides, level: float, feed: bool = False) -> None:
        if self.plan.tracks[place].id in self._printed:
            node.lead(self._voice(place, AUTO, False, True, True, feed, True), gains, level)

    def _is_live(self, place: int, listen: Listen) -> bool:
        """Whether the live input goes by the way that is compiled."""
        path = listen.path if self.plan.direct and not self._inside[place] else THROUGH
        return path == self._path and listen.when != OFF

    def _voice(
        self, place: int, when: str, live: bool, captured: bool, raw: bool = False, feed: bool = False,
        printed: bool = False,
    ) -> int:
        known = (place, when, live, captured, raw, feed, printed)
        if known in self._voice_of:
            return self._voice_of[known]
        plan, voice = self.plan, Voice(*known)
        track = plan.tracks[place] if place >= 0 else None
        channels = len(track.inputs) if track is not None else 2
        insert = track.effects if track is not None and not raw and not feed else NO_EFFECTS
        node = Node(self._name(voice, track), channels, insert)
        for channel, source in enumerate(track.inputs if track is not None and live else ()):
            feeder, side = divmod(source - plan.inputs - SOFTWARE_CHANNELS, 2)
            if feeder < 0:
                continue
            for world in (FEED_LIVE, FEED_MADE):
                if not feed or captured == (world == FEED_MADE):
                    gains = (1.0, 0.0) if channel == 0 else (0.0, 1.0)
                    node.edges.append((self._sum(group_end(plan.feeders[feeder]), world), side, *gains))
        node.voice = self.channels
        self.channels += channels
        self.voices.append((voice, channels))
        self._voice_of[known] = self._add(node)
        return self._voice_of[known]

    @staticmethod
    def _name(voice: Voice, track: TrackPlan | None) -> str:
        of = CLICK if voice.track == OF_CLICK else GUIDE
        parts = [str(track.id) if track is not None else of, voice.when]
        what = ("live", "captured", "raw", "feed", "printed")
        return f"{VOICE} " + " ".join(parts + [w for w in what if getattr(voice, w)])

    def _sum(self, key: str, world: str) -> int:
        """A group or return as it sounds in a world. Raises Refusal for a circle, which routing refuses to make."""
        name = f"{key} {world}"
        if name in self._known:
            return self._known[name]
        if name in self._open:
            raise Refusal("Groups and returns lead round in a circle, so that session cannot be played.")
        self._open.add(name)
        end = self._end(key)
        node = Node(key, 2, end.effects if end is not None and self._path == THROUGH else NO_EFFECTS)
        for start in self._into.get(key, ()):
            cell = self._cells.get((start, key))
            level = 1.0 if cell is None else 0.0 if cell.muted else amplitude(cell.level_db)
            self._into_sum(node, start, world, level)
        alike = [n for n in self._sums.get(key, ()) if self.nodes[n].edges == node.edges]
        if alike:
            self._known[name] = alike[0]
            return alike[0]
        if world in (MAIN, SOLOED):
            node.key += APART * len(self._sums.get(key, ()))
        elif world in (FEED_LIVE, FEED_MADE):
            node.key = name
        self._known[name] = self._add(node)
        self._sums.setdefault(key, []).append(self._known[name])
        return self._known[name]

    def _into_sum(self, node: Node, start: str, world: str, level: float) -> None:
        place = self._tracks.get(start)
        if place is not None:
            track = self.plan.tracks[place]
            gains, level = track.sides(), level * self._fader[place]
            if world in (FEED_LIVE, FEED_MADE):
                live = world == FEED_LIVE
                node.lead(self._voice(place, AUTO, live or self._inside[place], not live, feed=True), gains, level)
                if not live:
                    self._lead_printed(node, place, gains, level, True)
            else:
                self._listen(node, place, track.listen, gains, level if self._sounds(track, world) else 0.0)
            return
        end = self._end(start)
        if end is not None:
            level *= 0.0 if world in (MAIN, SOLOED) and end.muted else amplitude(end.fader_db)
            node.lead(self._sum(start, self._behind(end, world)), STRAIGHT, level)

    def _add(self, node: Node) -> int:
        self.nodes.append(node)
        return len(self.nodes) - 1
