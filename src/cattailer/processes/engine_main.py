"""``python -m cattailer.processes.engine_main``: the engine process."""

import os
import signal
import sys

import structlog

from cattailer.engine.process.server import EngineServer
from cattailer.liveroom.clock import WallClock
from cattailer.processes.interfaces import open_live_room


def main() -> None:
    structlog.configure(logger_factory=structlog.PrintLoggerFactory(sys.stderr))
    queue_ms = float(os.environ.get("CATTAILER_QUEUE_MS", "500"))
    server = EngineServer(
        lambda plan: open_live_room(plan, WallClock(queue_ms)),
        os.environ["CATTAILER_COMMANDS"],
        os.environ["CATTAILER_TELEMETRY"],
    )
    signal.signal(signal.SIGTERM, lambda *_: server.shut_down())
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    server.serve()


if __name__ == "__main__":
    main()
