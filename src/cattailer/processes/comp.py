"""``cattailer comp``: what is in use of a session, one file a track."""

from dataclasses import dataclass
from pathlib import Path

from cattailer.core.errors import Refusal
from cattailer.core.naming import distinct, file_stem
from cattailer.core.plan import Plan
from cattailer.media import writtenout
from cattailer.media.writtenout import WrittenOut
from cattailer.processes.hear import plan_of


@dataclass(frozen=True)
class Done:
    rate_hz: int
    files: list[WrittenOut]


def write(title: str, out: Path, as_it_lies: bool = False, tracks: str | None = None) -> Done:
    """Raises NotFound, Refusal, OSError."""
    return write_plan(plan_of(title), out, as_it_lies, tracks)


def write_plan(plan: Plan, out: Path, as_it_lies: bool = False, tracks: str | None = None) -> Done:
    """Every track of a plan of which something sounds, or those that are named. Raises Refusal, OSError."""
    named = {part.strip().lower() for part in (tracks or "").split(",") if part.strip()}
    unknown = named - {t.name.lower() for t in plan.tracks}
    if unknown:
        raise Refusal(f"There is no track {sorted(unknown)[0]!r}; there are: {', '.join(t.name for t in plan.tracks)}.")
    chosen = [(t.id, t.name, len(t.inputs)) for t in plan.tracks if not named or t.name.lower() in named]
    stems = distinct([file_stem("{track}", track=name) for _, name, _ in chosen])
    wanted = writtenout.in_use(chosen, stems, plan.pieces, plan.tempo.sample_of(1), as_it_lies)
    if not wanted:
        raise Refusal("Nothing is in use on these tracks, so nothing was written.")
    out.mkdir(parents=True, exist_ok=True)
    there = next((out / f"{w.stem}.wav" for w in wanted if (out / f"{w.stem}.wav").exists()), None)
    if there is not None:
        raise Refusal(f"{there} is there already. Choose another folder; nothing was written.", 409)
    files = [writtenout.write(w, out, plan.title, plan.rate_hz, plan.bits) for w in wanted]
    gone = [path for each in files for path in each.missing]
    if gone:
        raise Refusal(f"{gone[0]} is not there, so its stretch is silent in what was written to {out}.", 409)
    return Done(plan.rate_hz, files)
