"""What the engine tells: meters and transport 30 times a second, waveforms, events, and mixes that are listened to."""

from typing import Any

import msgpack
import numpy as np
import zmq

from cattailer.core.advice.ready import silent_words
from cattailer.core.mix.flow import APART, VOICE
from cattailer.core.patch.ends import group_end, mix_end, return_end
from cattailer.core.plan import MOST_MIXES, Plan
from cattailer.core.sound.ballistics import VU_ZERO_DBFS
from cattailer.core.sound.meters import Reading, own_or_usual
from cattailer.core.time.timeline import clock_text
from cattailer.core.transport import COUNTING
from cattailer.core.units import decibels
from cattailer.engine.block.engine import Engine
from cattailer.engine.messages import telemetry
from cattailer.engine.messages.telemetry import Frame, mix_topic, topic_of
from cattailer.engine.process.metering import SILENT_S, RowMeters
from cattailer.engine.writing.runwriter import RunWriter

MIX_CHUNK_S = 0.02


HEARD_GAIN = 0.99
"""What turns down less is not told."""
BEHIND_S = 3.0
DEAD_S = 5.0
LIMITED_SHARE, LIMITED_FRAMES = 0.5, 300
"""A limiter that worked in more than half of the frames of about the last ten seconds works all the time."""


class Telemetry:
    """Turns what an engine leaves in its queues into messages. One thread calls ``pump``.

    ``wanted`` are the topics that somebody listens to; it outlives the engine, as the socket does.
    """

    def __init__(self, engine: Engine, socket: "zmq.Socket[bytes]", wanted: set[str]) -> None:
        self._engine = engine
        self._socket = socket
        self.wanted = wanted
        rate = engine.plan.rate_hz
        self.rows, self._ears = RowMeters(engine.rows, rate), RowMeters(2 * MOST_MIXES, rate)
        self._all = slice(0, engine.rows)
        self.point = "input"
        self._metered = engine.sample
        self._mix_at = engine.mixes.written
        self._worked: dict[int, float] = {}
        self._chunk = int(MIX_CHUNK_S * rate)

    def pump(self) -> None:
        """Sends everything that has come since the last call."""
        engine = self._engine
        while engine.frames:
            at, state, position, until = engine.frames.popleft()
            self._gather(until)
            if not engine.frames:
                self._send(self._frame(at, state, position, until, self.rows.show(at), self._ears.show(at)))
        for key, what in engine.bypassed():
            self._send({"topic": "event", "kind": "effect", "message": self._bypassed(key, what)})
        while engine.events:
            self._send(engine.events.popleft())
        self._note_subscribers()
        self._send_mixes()

    def _gather(self, until: int) -> None:
        """Meters every sample once, from the rings, so that the block path need not."""
        sound = self._engine.ring.read(self._metered, until, self._all)
        ears = self._engine.mixes.read(self._metered, until)
        if sound is not None and ears is not None:
            self.rows.add(sound)
            self._ears.add(ears)
        self._metered = until

    def reset(self, rows: list[int] | None = None) -> None:
        """Forgets held peaks and clips of some rows, or of all."""
        self.rows.reset(rows)
        if rows is None:
            self._ears.reset(None)

    def _frame(self, at: float, state: str, position: int, sample: int, inputs: Reading, ears: Reading) -> Frame:
        engine = self._engine
        plan = engine.plan
        self.rows.note(inputs, sample)
        words, count = "", engine.count
        if state == COUNTING and count is not None:
            words, position = count.count_in.words(position), count.count_in.stop
        where = plan.tempo.bar_beat_at(position)
        run = engine.run
        return {
            "topic": "frame", "t": at, "session": plan.session, "title": plan.title,
            "revision": plan.revision, "rate": plan.rate_hz, "state": state, "position": position, "sample": sample,
            "clock": clock_text(position, plan.rate_hz), "samples": f"{position:,}".replace("-", "−"),
            "where": words or f"bar {where.bar} · beat {where.beat} of {where.of}",
            "bar": where.bar, "beat": where.beat, "of": where.of,
            "run": run.header.run if run else None, "captured": run.frames if run else 0,
            "take": run.header.number if run else 0,
            "going": self._going(run), "behind": self._behind(run),
            "silent": self._silent(run),
            "ready": self._ready(sample, plan),
            "dropouts": engine.dropouts, "players": engine.players,
            "window": plan.window, "muted": engine.muted, "sockets": plan.inputs,
            "kind": self.rows.kind, "point": self.point, "vu_zero": VU_ZERO_DBFS,
            "inputs": self.rows.as_sent(inputs, plan.windows()),
            "pairs": self._pairs(plan, inputs, ears), "limits": self._limits(),
            "turned_down": {end: _down(gain) for end, gain in engine.turned_down().items() if gain < HEARD_GAIN},
            "channel": self.rows.after(inputs, plan) if self.point == "channel" else None,
        }

    def _going(self, run: RunWriter | None) -> str:
        """Which pass it is, how much of it there is, and how much is still to come where that is known."""
        engine, rate = self._engine, self._engine.plan.rate_hz
        if run is None or run.first is None:
            return ""
        left, number = engine.transport.left, run.header.pass_number
        there = clock_text(max(0, engine.ring.written - engine.late_samples - run.first), rate)[:-4]
        if engine.more or number > 1:
            return f"pass {number} · {there}"
        return there if left is None else f"{there} · {clock_text(max(0, left), rate)[:-4]} left"

    def _behind(self, run: RunWriter | None) -> str:
        """In the user's words, once more than a few seconds wait for the disk; the ring holds them."""
        engine, rate = self._engine, self._engine.plan.rate_hz
        if run is None or run.first is None or run.ended:
            return ""
        waiting = (engine.ring.written - max(run.first + run.frames, engine.ring.oldest)) / rate
        if waiting < BEHIND_S:
            return ""
        return f"The disk is {waiting:.0f} s behind. Nothing is lost: {engine.ring.size / rate:.0f} s are held."

    def _silent(self, run: RunWriter | None) -> str:
        """In the user's words, the tracks of a capture from whose sockets nothing has come since it began."""
        engine, rate = self._engine, self._engine.plan.rate_hz
        if run is None or run.first is None or run.ended or engine.ring.written - run.first < DEAD_S * rate:
            return ""
        dead = []
        for file in run.header.files:
            rows = [i for i in file.inputs if 0 <= i < engine.plan.inputs]
            if rows and self.rows.dead_since(rows, run.first):
                dead.append(file.name)
        return silent_words(dead)

    def presence(self) -> list[tuple[int, bool, bool]]:
        """Of the source channels; see ``RowMeters.presence``."""
        return self.rows.presence(self._metered, self._engine.plan.source_channels)

    def _ready(self, sample: int, plan: Plan) -> str:
        """Changes when what the ready check says of levels may change."""
        now = self.rows.presence(sample, plan.source_channels)
        return "".join(
            str((silent >= SILENT_S) + 2 * loud + 4 * clipped) for silent, loud, clipped in now[: plan.inputs]
        )

    def _pairs(self, plan: Plan, inputs: Reading, ears: Reading) -> dict[str, dict[str, Any]]:
        """Every mix by its key, the main mix by its name too, and the tracks that are pairs, each as one."""
        pairs = [t for t in plan.tracks if len(t.inputs) > 1 and max(t.inputs) >= 0]
        return {
            "main": self._ears.pair_as_sent(ears, (0, 1), plan.window),
            **{
                mix_end(m.id): self._ears.pair_as_sent(ears, (2 * n, 2 * n + 1), plan.window)
                for n, m in enumerate(plan.mixes)
            },
            **{
                ",".join(map(str, t.inputs)): self.rows.pair_as_sent(
                    inputs, [c for c in t.inputs if c >= 0], own_or_usual(t.window, plan.window)
                )
                for t in pairs
            },
        }

    def _bypassed(self, key: str, what: str) -> str:
        """In the user's words."""
        plan, end = self._engine.plan, key.partition(APART)[0]
        names = {return_end(r.id): f"The reverb of {r.name}" for r in plan.returns}
        strips = {group_end(g.id): g.name for g in plan.groups} | {f"{VOICE} {t.id}": t.name for t in plan.tracks}
        of = strips.get(" ".join(end.split()[:2]))
        name = f"The equaliser or compressor of {of}" if of else names.get(end, f"One of the {key}")
        return (
            f"{name} {what} and was switched off. What is captured is as it was. Take it out and put it in again to "
            "have it back."
        )

    @property
    def limited(self) -> list[int]:
        """The mixes whose limiter works most of the time."""
        return [mix for mix, share in self._worked.items() if share > LIMITED_SHARE]

    def _limits(self) -> dict[str, float]:
        """How far each limiter turned down lately, in dB, by the mix's key; those that did nothing are left out."""
        least = self._engine.limited()
        for mix, gain in least.items():
            before = self._worked.get(mix, 0.0)
            self._worked[mix] = before + ((gain < HEARD_GAIN) - before) / LIMITED_FRAMES
        return {mix_end(m): _down(gain) for m, gain in least.items() if gain < HEARD_GAIN}

    def _note_subscribers(self) -> None:
        """Which topics somebody listens to: the socket says so when that changes."""
        while True:
            try:
                said = self._socket.recv(zmq.NOBLOCK)
            except zmq.Again:
                return
            (self.wanted.add if said[:1] == b"\x01" else self.wanted.discard)(said[1:].decode())

    def _send_mixes(self) -> None:
        """Chunks of 20 ms: 32-bit float, left and right interleaved."""
        ring = self._engine.mixes
        if ring.written - self._mix_at > ring.size // 2:
            self._mix_at = ring.written - self._chunk
        while ring.written - self._mix_at >= self._chunk:
            for place, mix in enumerate(self._engine.plan.mixes):
                if mix_topic(mix.id) not in self.wanted:
                    continue
                sound = self._engine.mix_of(place, self._mix_at, self._mix_at + self._chunk)
                if sound is not None:
                    pcm = np.ascontiguousarray(sound.T).astype("<f4").tobytes()
                    rate = self._engine.plan.rate_hz
                    self._send({"topic": "mix", "mix": mix.id, "at": self._mix_at, "rate": rate, "pcm": pcm})
            self._mix_at += self._chunk

    def _send(self, message: telemetry.Telemetry) -> None:
        self._socket.send_multipart([topic_of(message).encode(), msgpack.packb(message)], zmq.NOBLOCK)


def _down(gain: float) -> float:
    return round(-decibels(gain), 1)
