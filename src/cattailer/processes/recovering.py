"""``cattailer recover``: mending what broke off, in the studio or in any folder."""

from pathlib import Path
from typing import Any

from cattailer.core.errors import Refusal
from cattailer.media import recovery, wavfile
from cattailer.media.recovery import Kept, Mended, Report
from cattailer.processes import home as homes
from cattailer.processes.children import end_holder
from cattailer.processes.doctor import no_engine
from cattailer.processes.postgres import Postgres
from cattailer.processes.supervisor import ENGINE
from cattailer.services.desk.desk import Desk
from cattailer.services.running import runs
from cattailer.store.database import Database


def recover(folders: list[Path]) -> dict[str, Any]:
    """As ``recover --json`` prints it. Without folders: those of the studio, entered too. Raises Refusal, OSError."""
    if not folders:
        return _told(_studio())
    report = Report()
    for folder in folders:
        found = recovery.mend_all(folder)
        report.mended += found.mended
        report.troubles += found.troubles
    return _told(report)


def _studio() -> Report:
    home = homes.prepare()
    claim = homes.lock(home)
    server = Postgres(home.database, home.logs / "postgres.log")
    try:
        end_holder(home.engine_lock, "engine", ENGINE)
        server.start()
        database = Database(server.url)
        database.migrate()
        desk = Desk(database, no_engine(), home.media)
        report = runs.recover(desk, home.media)
        passed_over: set[int] = set()
        while runs.measure_one(desk, passed_over):
            pass
        database.engine.dispose()
        return report
    finally:
        server.stop()
        claim.close()


def _told(report: Report) -> dict[str, Any]:
    return {
        "runs": [_run(m) for m in report.mended],
        "troubles": [{"path": str(t.path), "says": t.says} for t in report.troubles],
        "emptied": report.emptied,
    }


def _run(mended: Mended) -> dict[str, Any]:
    header = mended.story.header
    return {
        "run": header.run, "number": header.number, "session": header.title, "message": mended.story.message,
        "seconds": round(mended.story.samples / header.rate_hz, 3),
        "files": [_file(k, header.start) for k in mended.files],
    }


def _file(kept: Kept, start: int) -> dict[str, Any]:
    told: dict[str, Any] = {"path": str(kept.path), "samples": kept.samples, "start": start, "says": kept.says}
    if kept.samples:
        try:
            end = recovery.measure(wavfile.inspect(kept.path))
            told |= {"peak_dbfs": end.peak_dbfs, "clips": end.clips, "crc32": end.crc32}
        except (OSError, Refusal, ValueError) as why:
            told["says"] = f"{kept.says}; cannot be measured ({why})".lstrip("; ")
    return told
