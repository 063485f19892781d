"""What an engine captures at the moment, what is counted in before it, and what is still being closed."""

from collections import deque

from cattailer.engine.writing.runkeeper import RunKeeper
from cattailer.engine.writing.runwriter import RunWriter


class Recorder:
    """Ring samples in, files out. The block path only says where things begin and end; one thread calls ``write``,
    another ``sync``."""

    def __init__(self) -> None:
        self._kept: deque[RunKeeper] = deque()
        """One thread adds, another takes away: whoever goes through it goes through a copy."""
        self._course: list[RunWriter] = []
        """What is being captured, and what was made ready for what comes next; lead-ins are not among it."""
        self._lead_ins: dict[str, RunWriter] = {}
        """By the run that they lie before."""
        self._behind = 0

    @property
    def run(self) -> RunWriter | None:
        """What is being captured: None from the moment at which its end is known."""
        return next((run for run in self._course if not run.ended), None)

    def open_runs(self) -> list[RunWriter]:
        """What is being captured or was made ready, and what joined it."""
        return [kept.run for kept in list(self._kept) if not (kept.run.ended or kept.run.header.lead_in_of)]

    @property
    def waiting(self) -> bool:
        """Whether a run still waits for samples: while it is captured, and until its last one came in."""
        return any(not kept.run.ended for kept in list(self._kept))

    @property
    def busy(self) -> bool:
        """Whether anything is not closed yet."""
        return bool(self._kept)

    @property
    def behind(self) -> int:
        """How often the disk was so slow that sound was lost."""
        return self._behind + sum(kept.run.behind for kept in list(self._kept))

    def ready(self, run: RunWriter, lead_in: RunWriter | None = None) -> None:
        """Will be captured: where it begins is said later."""
        self._course = [each for each in self._course if not each.ended] + [run]
        if lead_in is not None:
            self._lead_ins[run.header.run] = lead_in
            self._kept.append(RunKeeper(lead_in))
        self._kept.append(RunKeeper(run))

    def begin(self, run: RunWriter, first: int, samples: int | None) -> None:
        """A ready run begins at ring sample ``first``, and lasts ``samples`` if given; there its lead-in ends."""
        if (lead_in := self._lead_ins.pop(run.header.run, None)) is not None:
            lead_in.begin(first - (run.header.start - lead_in.header.start))
            lead_in.finish(first)
        run.begin(first)
        if samples is not None:
            run.finish(first + samples)

    def keep(self, run: RunWriter, first: int, stop: int) -> None:
        """What came in [first, stop) becomes a run, beside the one that is captured."""
        run.begin(first)
        run.finish(stop)
        self._kept.append(RunKeeper(run))

    def lost(self, sample: int, samples: int, load: float) -> None:
        for kept in list(self._kept):
            if not kept.run.ended:
                kept.run.lost(sample, samples, load)

    def finish(self, sample: int) -> RunWriter | None:
        """What is captured ends there; it is written and closed while the next may begin. What would only begin later
        is called off, with what was counted in before it: that goes first, its folder lies in the run's. Returns the
        run that ended last."""
        ended = None
        for run in self._course:
            if run.first is None or run.first >= sample:
                if (lead_in := self._lead_in_of(run)) is not None:
                    lead_in.call_off()
                run.call_off()
            else:
                run.finish(sample)
                ended = run
        self._course, self._lead_ins = [], {}
        return ended

    def _lead_in_of(self, run: RunWriter) -> RunWriter | None:
        runs = [kept.run for kept in list(self._kept)]
        return next((each for each in runs if each.header.lead_in_of == run.header.run), None)

    def finish_all(self, sample: int) -> None:
        """No sample comes after this one: every run ends there at the latest."""
        self.finish(sample)
        for kept in list(self._kept):
            kept.run.finish(sample)

    def write(self) -> None:
        """Appends what has come to every run that waits for it."""
        for kept in list(self._kept):
            kept.run.write()

    def sync(self) -> None:
        """Syncs, and closes what has ended."""
        for kept in list(self._kept):
            kept.keep()
            if kept.run.done:
                self._behind += kept.run.behind
                self._kept.remove(kept)

    def pump(self) -> None:
        """Both, where one thread does all."""
        self.write()
        self.sync()
