"""``python -m cattailer.processes.engine_main``: the engine process."""

import os
import signal
import sys
from pathlib import Path

from cattailer.engine.process.server import EngineServer
from cattailer.liveroom.clock import WallClock
from cattailer.processes.children import claim
from cattailer.processes.interfaces import open_live_room
from cattailer.services.desk import logs


def main() -> None:
    logs.configure(Path(os.environ["CATTAILER_LOGS"]), "engine")
    held = claim(Path(os.environ["CATTAILER_ENGINE_LOCK"]))
    if held is None:
        sys.exit("Another engine captures into this media folder.")
    queue_ms = float(os.environ.get("CATTAILER_QUEUE_MS", "500"))
    server = EngineServer(
        lambda plan: open_live_room(plan, WallClock(queue_ms)),
        os.environ["CATTAILER_COMMANDS"],
        os.environ["CATTAILER_TELEMETRY"],
    )
    signal.signal(signal.SIGTERM, lambda *_: server.shut_down())
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    server.serve()
    held.close()


if __name__ == "__main__":
    main()
