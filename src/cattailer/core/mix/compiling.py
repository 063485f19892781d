"""From a plan to its flow: which voices there are, where effects stand, and the matrices between them."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from cattailer.core.errors import Refusal
from cattailer.core.mix.effects import Effects
from cattailer.core.mix.flow import APART, NO_TRACK, Floats, Flow, Insert, Level, Voice, is_inside
from cattailer.core.mix.gains import audible_in_main, pan_gains, straight
from cattailer.core.mix.listening import AUTO, CHANNEL, OFF, RAW, THROUGH, Listen
from cattailer.core.patch.ends import CLICK, GROUP, RETURN, group_end, kind_of, mix_end, return_end, track_end
from cattailer.core.plan import SOFTWARE_CHANNELS, Cell, GroupPlan, MixPlan, Plan, ReturnPlan, TrackPlan
from cattailer.core.units import amplitude

MAIN, EARS, FEED_LIVE, FEED_MADE = "main", "ears", "live feed", "made feed"
"""What a group sounds differs: mutes and solos act on the main mix only, and choices of listening never on capture."""
Gains = NDArray[np.float64]
NO_EFFECTS = Effects()


@dataclass
class _Node:
    key: str
    channels: int
    effects: Effects
    voice: int = -1
    """The first channel of a voice, -1 for a sum."""
    edges: list[tuple[int, Gains]] = field(default_factory=list)
    """(node, gains), shape (channels, channels of that node); nodes come after those that lead to them."""


def compile_flow(plan: Plan, path: str = THROUGH) -> Flow:
    """The flow of what comes through the engine, or of live inputs that go *Direct*, which no effect touches."""
    return _Compiler(plan, path).flow()


class _Compiler:
    def __init__(self, plan: Plan, path: str) -> None:
        self._plan, self._path = plan, path
        self._nodes: list[_Node] = []
        self._known: dict[str, int] = {}
        self._open: set[str] = set()
        self._sums: dict[str, list[int]] = {}
        self._voices: list[tuple[Voice, int]] = []
        self._channels = 0
        self._cells = {c.route: c for c in plan.cells}
        self._into: dict[str, list[str]] = {}
        for start, target in plan.routes:
            self._into.setdefault(target, []).append(start)
        self._tracks = {track_end(t.id): n for n, t in enumerate(plan.tracks)}
        self._groups = {group_end(g.id): g for g in plan.groups}
        self._returns = {return_end(r.id): r for r in plan.returns}
        self._audible = audible_in_main(plan)

    def flow(self) -> Flow:
        plan = self._plan
        # Cue mixes first: what sounds alike in ears and in the main mix is computed once, and goes on in ears.
        made = {m.id: self._mix(m, n == 0) for n, m in reversed([*enumerate(plan.mixes)])}
        last = [made[m.id] for m in plan.mixes]
        feeders = plan.feeders if self._path == THROUGH else ()
        for world in (FEED_LIVE, FEED_MADE):
            last += [self._sum(group_end(g), world) for g in feeders]
        return self._matrices(last, len(feeders))

    # What leads where

    def _mix(self, mix: MixPlan, main: bool) -> int:
        node = _Node(mix_end(mix.id), 2, NO_EFFECTS)
        world, overall = (MAIN if main else EARS), amplitude(mix.fader_db)
        if main and self._plan.alone:
            self._alone(node, overall)
        else:
            for start in self._into.get(mix_end(mix.id), ()):
                cell = self._cells.get((start, node.key)) or Cell(start, node.key)
                if not cell.muted:
                    self._into_mix(node, mix, main, world, cell, overall * amplitude(cell.level_db))
        if self._path == THROUGH:
            self._click(node, mix, overall)
        return self._add(node)

    def _into_mix(self, node: _Node, mix: MixPlan, main: bool, world: str, cell: Cell, level: float) -> None:
        fader = main or mix.after_fader
        if cell.start in self._tracks:
            place = self._tracks[cell.start]
            track = self._plan.tracks[place]
            if main and track.id not in self._audible:
                return
            level *= amplitude(mix.forward_db / 2 * (1 if track.id in mix.own else -1)) if not main else 1.0
            plain = level * pan_gains(track.pan if cell.pan is None else cell.pan, len(track.inputs))
            faded, listen = plain * amplitude(track.fader_db), cell.listen(track.listen)
            # In the main mix the fader is the level; in a cue mix it acts on the live input at the channel's end only.
            live_faded = main or (fader and listen.point == CHANNEL)
            self._listen(node, place, listen, faded if live_faded else plain, faded if fader else plain)
            return
        end = self._end(cell.start)
        if end is None or (main and end.muted):
            return
        if not main:
            level *= amplitude(-mix.forward_db / 2)
        source = self._sum(cell.start, world)
        level *= amplitude(end.fader_db) if fader else 1.0
        node.edges.append((source, level * (straight(2) if cell.pan is None else pan_gains(cell.pan, 2))))

    def _end(self, key: str) -> GroupPlan | ReturnPlan | None:
        return self._groups.get(key) or self._returns.get(key)

    def _alone(self, node: _Node, overall: float) -> None:
        """The main mix plays one end only, before its fader."""
        key = self._plan.alone
        if key in self._tracks:
            place = self._tracks[key]
            gains = overall * pan_gains(0.0, len(self._plan.tracks[place].inputs))
            self._listen(node, place, self._plan.tracks[place].listen, gains, gains)
        elif self._end(key) is not None:
            node.edges.append((self._sum(key, EARS), overall * straight(2)))

    def _click(self, node: _Node, mix: MixPlan, overall: float) -> None:
        wanted, cell = self._plan.clicking.mixes, self._cells.get((CLICK, node.key))
        if (wanted and mix.id not in wanted) or (cell is not None and cell.muted):
            return
        level = amplitude(cell.level_db) if cell is not None else 1.0
        gains = straight(2) if cell is None or cell.pan is None else pan_gains(cell.pan, 2)
        node.edges.append((self._voice(Voice(NO_TRACK, captured=False)), level * gains))

    def _listen(self, node: _Node, place: int, listen: Listen, live_gains: Gains, play_gains: Gains) -> None:
        """Leads a track's voices to a node: one, or one live and one captured where those go different ways."""
        live = self._is_live(place, listen)
        if self._path != THROUGH:
            if live:
                node.edges.append((self._voice(Voice(place, listen.when, True, False, True)), live_gains))
            return
        raw = listen.point == RAW
        if live and not raw and np.array_equal(live_gains, play_gains):
            node.edges.append((self._voice(Voice(place, listen.when)), play_gains))
            return
        if live:
            node.edges.append((self._voice(Voice(place, listen.when, True, False, raw)), live_gains))
        node.edges.append((self._voice(Voice(place, AUTO, False, True)), play_gains))

    def _is_live(self, place: int, listen: Listen) -> bool:
        """Whether the live input goes by the way that is compiled."""
        path = THROUGH if is_inside(self._plan, place) else listen.path
        return path == self._path and listen.when != OFF

    def _voice(self, voice: Voice) -> int:
        key = f"voice {voice}"
        if key in self._known:
            return self._known[key]
        plan = self._plan
        track = plan.tracks[voice.track] if voice.track != NO_TRACK else None
        channels = len(track.inputs) if track is not None else 2
        insert = track.effects if track is not None and not voice.raw and not voice.feed else NO_EFFECTS
        node = _Node(self._name(voice, track), channels, insert)
        for channel, source in enumerate(track.inputs if track is not None and voice.live else ()):
            feeder, side = divmod(source - plan.inputs - SOFTWARE_CHANNELS, 2)
            if feeder < 0:
                continue
            for world in (FEED_LIVE, FEED_MADE):
                if voice.feed and voice.captured != (world == FEED_MADE):
                    continue
                gains = np.zeros((channels, 2))
                gains[channel, side] = 1.0
                node.edges.append((self._sum(group_end(plan.feeders[feeder]), world), gains))
        node.voice = self._channels
        self._channels += channels
        self._voices.append((voice, channels))
        self._known[key] = self._add(node)
        return self._known[key]

    @staticmethod
    def _name(voice: Voice, track: TrackPlan | None) -> str:
        parts = [str(track.id if track is not None else CLICK), voice.when]
        return "voice " + " ".join(parts + [w for w in ("live", "captured", "raw", "feed") if getattr(voice, w)])

    def _sum(self, key: str, world: str) -> int:
        """A group or return as it sounds in a world. Raises Refusal for a circle, which routing refuses to make."""
        name = f"{key} {world}"
        if name in self._known:
            return self._known[name]
        if name in self._open:
            raise Refusal("Groups and returns lead round in a circle, so that session cannot be played.")
        self._open.add(name)
        end = self._end(key)
        node = _Node(key, 2, end.effects if end is not None and self._path == THROUGH else NO_EFFECTS)
        for start in self._into.get(key, ()):
            cell = self._cells.get((start, key)) or Cell(start, key)
            if cell.muted:
                continue
            self._into_sum(node, start, world, amplitude(cell.level_db))
        alike = [n for n in self._sums.get(key, ()) if _same_edges(self._nodes[n], node)]
        if alike:
            self._known[name] = alike[0]
            return alike[0]
        if world == MAIN and key in self._sums:
            node.key += APART
        elif world in (FEED_LIVE, FEED_MADE):
            node.key = name
        self._known[name] = self._add(node)
        self._sums.setdefault(key, []).append(self._known[name])
        return self._known[name]

    def _into_sum(self, node: _Node, start: str, world: str, level: float) -> None:
        if start in self._tracks:
            place = self._tracks[start]
            track = self._plan.tracks[place]
            gains = level * amplitude(track.fader_db) * pan_gains(track.pan, len(track.inputs))
            if world in (FEED_LIVE, FEED_MADE):
                live = world == FEED_LIVE
                node.edges.append((self._voice(Voice(place, AUTO, live or is_inside(self._plan, place), not live,
                                                     feed=True)), gains))
            elif world != MAIN or track.id in self._audible:
                self._listen(node, place, track.listen, gains, gains)
            return
        end = self._end(start)
        if end is not None and kind_of(start) in (GROUP, RETURN) and not (world == MAIN and end.muted):
            node.edges.append((self._sum(start, world), level * amplitude(end.fader_db) * straight(2)))

    def _add(self, node: _Node) -> int:
        self._nodes.append(node)
        return len(self._nodes) - 1

    # The matrices

    def _matrices(self, last: list[int], feeders: int) -> Flow:
        nodes, channels = self._nodes, self._channels
        stands = [bool(n.effects) or (n.voice >= 0 and bool(n.edges)) for n in nodes]
        first_of, rows = [0] * len(nodes), 0
        for n, node in enumerate(nodes):
            first_of[n] = rows
            rows += node.channels if stands[n] else 0
        width = channels + rows
        at = np.concatenate([[0], np.cumsum([n.channels for n in nodes])]).astype(int)
        sounds = np.zeros((int(at[-1]), width))
        depth, level_of, into = [0] * len(nodes), [0] * len(nodes), np.zeros((rows, width))
        for n, node in enumerate(nodes):
            came = np.zeros((node.channels, width))
            if node.voice >= 0 and not node.edges:
                came[:, node.voice : node.voice + node.channels] = np.eye(node.channels)
            if node.edges:
                gains = np.zeros((node.channels, int(at[n])))
                for source, each in node.edges:
                    gains[:, at[source] : at[source + 1]] += each
                came += gains @ sounds[: at[n]]
                depth[n] = max(depth[source] for source, _ in node.edges)
            own = slice(int(at[n]), int(at[n + 1]))
            if stands[n]:
                level_of[n], depth[n] = depth[n], depth[n] + 1
                into[first_of[n] : first_of[n] + node.channels] = came
                makeup = node.effects.dyn.makeup_db if node.effects.dyn and node.effects.dyn.on else 0.0
                sounds[own, channels + first_of[n] : channels + first_of[n] + node.channels] = (
                    np.eye(node.channels) * amplitude(makeup)
                )
            else:
                sounds[own] = came
        final = np.concatenate([sounds[at[n] : at[n + 1]] for n in last]) if last else np.zeros((0, width))
        return self._ordered(stands, first_of, level_of, into, final, feeders)

    def _ordered(
        self, stands: list[bool], first_of: list[int], level_of: list[int], into: Gains, final: Gains, feeders: int
    ) -> Flow:
        """With the effects' rows in the order of the levels."""
        plan, channels = self._plan, self._channels
        standing = sorted((n for n in range(len(stands)) if stands[n]), key=lambda n: level_of[n])
        order = [first_of[n] + c for n in standing for c in range(self._nodes[n].channels)]
        columns = np.array([*range(channels), *(channels + o for o in order)], np.intp)
        levels, matrices, row = [], [], 0
        for depth in sorted({level_of[n] for n in standing}):
            first, inserts = row, []
            fed: list[int] = []
            fed_by: list[int] = []
            for n in standing:
                node = self._nodes[n]
                if level_of[n] != depth:
                    continue
                if node.effects:
                    inserts.append(Insert(node.key, row, node.channels, node.effects))
                if node.voice >= 0 and node.edges:
                    fed += range(row, row + node.channels)
                    fed_by += range(node.voice, node.voice + node.channels)
                row += node.channels
            matrix = into[order[first:row]][:, columns]
            plain = not fed and (matrix.sum(axis=1) == 1.0).all() and (np.count_nonzero(matrix, axis=1) == 1).all()
            levels.append(Level(first, row, tuple(inserts), np.array(fed, np.intp), np.array(fed_by, np.intp),
                                matrix.argmax(axis=1) if plain and depth == 0 else None))
            matrices.append(_ready(matrix))
        matrices.append(_ready(final[:, columns]))
        voices = tuple(v for v, _ in self._voices)
        voice_of = np.array([n for n, (_, count) in enumerate(self._voices) for _ in range(count)], np.intp)
        track_of = np.array([max(0, v.track) for v in voices], np.intp)[voice_of] if voices else voice_of
        source, place, live, play = self._ends_of_voices()
        key = (
            tuple(n.key for n in self._nodes if n.voice >= 0), tuple(source), tuple(place),
            tuple((level.first, level.stop, tuple((i.key, i.channels, _shape(i.effects)) for i in level.inserts),
                   tuple(level.fed)) for level in levels),
            tuple(m.id for m in plan.mixes), plan.feeders,
        )
        return Flow(key, voices, voice_of, track_of, source, place, live, play, tuple(levels), tuple(matrices),
                    len(plan.mixes), feeders)

    def _ends_of_voices(self) -> tuple[NDArray[np.intp], NDArray[np.intp], Floats, Floats]:
        plan = self._plan
        before = np.concatenate([[0], np.cumsum([len(t.inputs) for t in plan.tracks])]).astype(int)
        click = plan.inputs + SOFTWARE_CHANNELS
        silent, no_take = click + 2, int(before[-1])
        source: list[int] = []
        place: list[int] = []
        live: list[float] = []
        play: list[float] = []
        for voice, count in self._voices:
            if voice.track == NO_TRACK:
                source += [click, click + 1]
                place, live, play = place + [no_take] * 2, live + [1.0] * 2, play + [0.0] * 2
                continue
            track = plan.tracks[voice.track]
            source += [self._source(voice, s, silent) for s in track.inputs]
            place += [int(before[voice.track]) + c if voice.captured else no_take for c in range(count)]
            live += [amplitude(track.live_db) if voice.live else 0.0] * count
            play += [amplitude(track.playback_db) if voice.captured else 0.0] * count
        return (np.array(source, np.intp), np.array(place, np.intp), np.array(live, np.float32),
                np.array(play, np.float32))

    def _source(self, voice: Voice, source: int, silent: int) -> int:
        """Where a channel comes in live. What is made inside is fed to captures with what was captured."""
        inputs = self._plan.inputs
        if not voice.live or not 0 <= source < inputs + SOFTWARE_CHANNELS:
            return silent
        if voice.feed and (source >= inputs) != voice.captured:
            return silent
        return source


def _same_edges(a: _Node, b: _Node) -> bool:
    return len(a.edges) == len(b.edges) and all(
        x == y and (g is h or np.array_equal(g, h)) for (x, g), (y, h) in zip(a.edges, b.edges, strict=True)
    )


def _shape(effects: Effects) -> tuple[bool, bool, str]:
    """What has to be the same for an insert to go on as it is."""
    return effects.eq is not None, effects.dyn is not None, "" if effects.reverb is None else effects.reverb.space


def _ready(gains: Gains) -> Floats:
    return np.ascontiguousarray(gains, np.float32)
