"""From a plan to its flow: where effects stand, and the matrices between them."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Effects
from cattailer.core.mix.flow import OF_CLICK, Floats, Flow, Insert, Level, Voice
from cattailer.core.mix.listening import THROUGH
from cattailer.core.mix.ways import Node, Ways
from cattailer.core.patch.ends import mix_end
from cattailer.core.plan import SOFTWARE_CHANNELS, Plan
from cattailer.core.units import amplitude

Gains = NDArray[np.float64]
_STRUCTURE = ("tracks", "groups", "returns", "routes", "feeders", "clicking")


def compile_flow(plan: Plan, path: str = THROUGH) -> Flow:
    """The flow of what comes through the engine, or of live inputs that go *Direct*, which no effect touches."""
    return Compiler(plan, path).flow


class Compiler:
    """``flow`` is that of the plan. Where another plan differs in cells of mixes only, as while somebody moves one,
    ``again`` works out just those mixes."""

    def __init__(self, plan: Plan, path: str = THROUGH) -> None:
        self._ways, self._path = Ways(plan, path), path
        self._at, self._columns = np.zeros(0, np.intp), np.zeros(0, np.intp)
        self._sounds = np.zeros((0, 0))
        self.flow = self._flow()

    def again(self, plan: Plan) -> Flow | None:
        """The flow of a plan that differs in mixes' cells and levels only; None where more is different. Afterwards
        this is the compiler of that plan."""
        old = self._ways.plan
        same = all(getattr(plan, name) is getattr(old, name) for name in _STRUCTURE) and plan.alone == old.alone
        if not same or not self._ways.lies_as(plan) or [m.id for m in plan.mixes] != [m.id for m in old.mixes]:
            return None
        if len(plan.cells) == len(old.cells):  # what was not moved is the same object
            pairs = zip(plan.cells, old.cells, strict=True)
            touched = {c.target for pair in pairs if pair[0] is not pair[1] for c in pair}
        else:
            touched = {c.target for c in {*plan.cells} ^ {*old.cells}}
        touched |= {mix_end(m.id) for m, was in zip(plan.mixes, old.mixes, strict=True) if m != was}
        if not touched <= {mix_end(m.id) for m in plan.mixes}:
            return None
        self._ways.go_on(plan)
        nodes, final = len(self._ways.nodes), self.flow.matrices[-1].copy()
        for n, mix in enumerate(plan.mixes):
            if mix_end(mix.id) not in touched:
                continue
            node = self._ways.mix_node(mix, n == 0)
            if len(self._ways.nodes) != nodes:
                return None  # somebody listens in a way that nobody did before
            gains = _gains(node, self._at)
            final[2 * n : 2 * n + 2] = (gains @ self._sounds[: gains.shape[1]])[:, self._columns]
        self.flow = replace(self.flow, matrices=(*self.flow.matrices[:-1], final))
        return self.flow

    def _flow(self) -> Flow:
        nodes, channels, last = self._ways.nodes, self._ways.channels, self._ways.last
        stands = [bool(n.effects) or (n.voice >= 0 and bool(n.edges)) for n in nodes]
        first_of, rows = [0] * len(nodes), 0
        for n, node in enumerate(nodes):
            first_of[n] = rows
            rows += node.channels if stands[n] else 0
        width = channels + rows
        at = np.concatenate([[0], np.cumsum([n.channels for n in nodes])]).astype(np.intp)
        sounds = np.zeros((int(at[-1]), width))
        depth, level_of, into = [0] * len(nodes), [0] * len(nodes), np.zeros((rows, width))
        for n, node in enumerate(nodes):
            came = np.zeros((node.channels, width))
            if node.voice >= 0 and not node.edges:
                came[:, node.voice : node.voice + node.channels] = np.eye(node.channels)
            if node.edges:
                gains = _gains(node, at)
                came += gains @ sounds[: gains.shape[1]]
                depth[n] = max(depth[edge[0]] for edge in node.edges)
            own = slice(int(at[n]), int(at[n + 1]))
            if stands[n]:
                level_of[n], depth[n] = depth[n], depth[n] + 1
                into[first_of[n] : first_of[n] + node.channels] = came
                sounds[own, channels + first_of[n] : channels + first_of[n] + node.channels] = np.eye(node.channels)
            else:
                sounds[own] = came
        self._at, self._sounds = at, sounds
        final = np.concatenate([sounds[at[n] : at[n + 1]] for n in last]) if last else np.zeros((0, width))
        return self._ordered(stands, first_of, level_of, into, final)

    def _ordered(
        self, stands: list[bool], first_of: list[int], level_of: list[int], into: Gains, final: Gains
    ) -> Flow:
        """With the effects' rows in the order of the levels."""
        ways = self._ways
        plan, channels, nodes = ways.plan, ways.channels, ways.nodes
        standing = sorted((n for n in range(len(stands)) if stands[n]), key=lambda n: level_of[n])
        order = [first_of[n] + c for n in standing for c in range(nodes[n].channels)]
        columns = self._columns = np.array([*range(channels), *(channels + o for o in order)], np.intp)
        levels, matrices, row = [], [], 0
        for depth in sorted({level_of[n] for n in standing}):
            first, inserts = row, []
            fed: list[int] = []
            fed_by: list[int] = []
            for n in standing:
                node = nodes[n]
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
        voices = tuple(v for v, _ in self._ways.voices)
        voice_of = np.array([n for n, (_, count) in enumerate(self._ways.voices) for _ in range(count)], np.intp)
        track_of = np.array([max(0, v.track) for v in voices], np.intp)[voice_of] if voices else voice_of
        source, place, live, play = self._ends_of_voices()
        key = (
            tuple(n.key for n in nodes if n.voice >= 0), tuple(source), tuple(place),
            tuple((level.first, level.stop, tuple((i.key, i.channels, _shape(i.effects)) for i in level.inserts),
                   tuple(level.fed)) for level in levels),
            tuple(m.id for m in plan.mixes), plan.feeders,
        )
        return Flow(key, voices, voice_of, track_of, source, place, live, play, tuple(levels), tuple(matrices),
                    len(plan.mixes), len(ways.feeders), self._path)

    def _ends_of_voices(self) -> tuple[NDArray[np.intp], NDArray[np.intp], Floats, Floats]:
        plan = self._ways.plan
        rows = self._ways.take_rows
        click = plan.inputs + SOFTWARE_CHANNELS
        guide, silent, no_take = click + 2, click + 3, sum(width for _, width in rows.values())
        source: list[int] = []
        place: list[int] = []
        live: list[float] = []
        play: list[float] = []
        for voice, count in self._ways.voices:
            if voice.track < 0:
                source += [click, click + 1] if voice.track == OF_CLICK else [guide, guide]
                place, live, play = place + [no_take] * 2, live + [1.0] * 2, play + [0.0] * 2
                continue
            track = plan.tracks[voice.track]
            source += [self._source(voice, s, silent) for s in track.inputs]
            first = rows[track.id, voice.printed][0]
            place += [first + c if voice.captured else no_take for c in range(count)]
            live += [amplitude(track.live_db) if voice.live else 0.0] * count
            play += [amplitude(track.playback_db) if voice.captured else 0.0] * count
        return (np.array(source, np.intp), np.array(place, np.intp), np.array(live, np.float32),
                np.array(play, np.float32))

    def _source(self, voice: Voice, source: int, silent: int) -> int:
        """Where a channel comes in live. What is made inside is fed to captures with what was captured."""
        inputs = self._ways.plan.inputs
        if not voice.live or not 0 <= source < inputs + SOFTWARE_CHANNELS:
            return silent
        if voice.feed and (source >= inputs) != voice.captured:
            return silent
        return source


def _gains(node: Node, at: NDArray[np.intp]) -> Gains:
    """Shape (channels, channels of all nodes before)."""
    if not node.edges:
        return np.zeros((node.channels, 0))
    sources, channels, left, right = zip(*node.edges, strict=True)
    columns = at[np.array(sources)] + np.array(channels)
    gains = np.zeros((node.channels, int(at[max(sources) + 1])))
    np.add.at(gains[0], columns, left)
    if node.channels == 2:
        np.add.at(gains[1], columns, right)
    return gains


def _shape(effects: Effects) -> tuple[bool, bool, str]:
    """What has to be the same for an insert to go on as it is."""
    return effects.eq is not None, effects.dyn is not None, "" if effects.reverb is None else effects.reverb.space


def _ready(gains: Gains) -> Floats:
    return np.ascontiguousarray(gains, np.float32)
