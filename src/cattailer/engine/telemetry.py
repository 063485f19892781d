"""What the engine tells: meters and transport 30 times a second, waveforms, events, the main mix.

Every message is two frames, a topic and msgpack. Topics: ``frame``, ``wave``, ``event``, ``mix``.
"""

from typing import Any

import msgpack
import numpy as np
import zmq

from cattailer.core.meters import TARGET_WINDOW_DBFS, BlockMeter, MeterFace, Reading, zones
from cattailer.core.timeline import clock_text
from cattailer.engine.engine import Engine

MIX_CHUNK_S = 0.02


class Telemetry:
    """Turns what an engine leaves in its queues into messages. One thread calls ``pump``."""

    def __init__(self, engine: Engine, socket: "zmq.Socket[bytes]") -> None:
        self._engine = engine
        self._socket = socket
        rate = engine.plan.rate_hz
        self._meter, self._face = BlockMeter(engine.rows), MeterFace(engine.rows, rate)
        self._all = slice(0, engine.rows)
        self._main_meter, self._main_face = BlockMeter(2), MeterFace(2, rate)
        self._metered = engine.sample
        self._mix_at = engine.mix.written
        self._chunk = int(MIX_CHUNK_S * rate)

    def pump(self) -> None:
        """Sends everything that has come since the last call."""
        engine = self._engine
        while engine.frames:
            at, state, position, until = engine.frames.popleft()
            self._gather(until)
            if not engine.frames:
                shown = self._face.show(self._meter.take())
                shown_main = self._main_face.show(self._main_meter.take())
                self._send("frame", self._frame(at, state, position, shown, shown_main))
        while engine.told:
            message = engine.told.popleft()
            self._send(message["topic"], message)
        self._send_mix()

    def _gather(self, until: int) -> None:
        """Meters every sample once, from the rings, so that the block path need not."""
        sound = self._engine.ring.read(self._metered, until, self._all)
        main = self._engine.mix.read(self._metered, until)
        if sound is not None and main is not None:
            self._meter.add(sound)
            self._main_meter.add(main)
        self._metered = until

    def reset(self) -> None:
        self._meter.reset_clips()
        self._main_meter.reset_clips()
        self._face.reset()
        self._main_face.reset()

    def _frame(self, at: float, state: str, position: int, inputs: Reading, main: Reading) -> dict[str, Any]:
        engine = self._engine
        plan = engine.plan
        where = plan.tempo.bar_beat_at(position)
        run = engine.run
        return {
            "t": at, "session": plan.session, "title": plan.title, "revision": plan.revision, "rate": plan.rate_hz,
            "state": state, "position": position, "clock": clock_text(position, plan.rate_hz),
            "bar": where.bar, "beat": where.beat, "of": where.of,
            "run": run.head.run if run else None, "captured": run.frames if run else 0,
            "dropouts": engine.dropouts, "players": engine.driver.status().get("players", {}),
            "window": TARGET_WINDOW_DBFS, "muted": engine.muted, "sockets": plan.inputs,
            "inputs": _meters(inputs, plan.source_channels), "main": _meters(main, 2),
        }

    def _send_mix(self) -> None:
        """The main mix in chunks of 20 ms: 32-bit float, left and right interleaved."""
        ring = self._engine.mix
        if ring.written - self._mix_at > ring.size // 2:
            self._mix_at = ring.written - self._chunk
        while ring.written - self._mix_at >= self._chunk:
            sound = ring.read(self._mix_at, self._mix_at + self._chunk)
            if sound is not None:
                data = np.ascontiguousarray(sound.T).astype("<f4").tobytes()
                message = {"at": self._mix_at, "rate": self._engine.plan.rate_hz, "pcm": data}
                self._send("mix", message)
            self._mix_at += self._chunk

    def _send(self, topic: str, message: dict[str, Any]) -> None:
        self._socket.send_multipart([topic.encode(), msgpack.packb(message)], zmq.NOBLOCK)


def _meters(reading: Reading, count: int) -> dict[str, Any]:
    return {
        "peak": np.round(reading.peak_dbfs[:count], 1).tolist(),
        "hold": np.round(reading.hold_dbfs[:count], 1).tolist(),
        "rms": np.round(reading.rms_dbfs[:count], 1).tolist(),
        "max": np.round(reading.max_dbfs[:count], 1).tolist(),
        "clips": reading.clips[:count].tolist(),
        "zone": zones(reading.hold_dbfs[:count], reading.clips[:count], TARGET_WINDOW_DBFS),
    }
