"""What an engine captures at the moment, what is counted in before it, and what is still being closed."""

from collections import deque
from collections.abc import Mapping

from cattailer.core.mix.effects import Effects
from cattailer.engine.writing.runkeeper import RunKeeper
from cattailer.engine.writing.runwriter import RunWriter


class Recorder:
    """Ring samples in, files out. The block path only says where things begin and end; one thread calls ``write``,
    another ``sync``. ``run`` is what is being captured: None from the moment at which its end is known."""

    def __init__(self) -> None:
        self.run: RunWriter | None = None
        self._kept: deque[RunKeeper] = deque()
        """One thread adds, another takes away: whoever goes through it goes through a copy."""
        self._lead_in: RunWriter | None = None
        self._behind = 0

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

    def begin(self, run: RunWriter, lead_in: RunWriter | None, first: int, lead: int, samples: int | None) -> None:
        """The lead-in begins at ring sample ``first``, the run ``lead`` later and lasts ``samples`` if given."""
        if lead_in is not None:
            lead_in.begin(first)
            lead_in.finish(first + lead)
            self._kept.append(RunKeeper(lead_in))
        run.begin(first + lead)
        if samples is not None:
            run.finish(first + lead + samples)
        self._kept.append(RunKeeper(run))
        self.run, self._lead_in = run, lead_in

    def keep(self, run: RunWriter, first: int, stop: int) -> None:
        """What came in [first, stop) becomes a run, beside the one that is captured."""
        run.begin(first)
        run.finish(stop)
        self._kept.append(RunKeeper(run))

    def lost(self, sample: int, samples: int, load: float) -> None:
        for kept in list(self._kept):
            if not kept.run.ended:
                kept.run.lost(sample, samples, load)

    def note(self, sample: int, effects: Mapping[int, Effects]) -> None:
        """From ring sample ``sample`` on tracks have these effects, for those that print them."""
        for kept in list(self._kept):
            if not kept.run.ended:
                kept.run.note(sample, effects)

    def finish(self, sample: int) -> None:
        """The run ends there; it is written and closed while the next may begin."""
        if self.run is not None:
            self.run.finish(sample)
        self.run = self._lead_in = None

    def finish_all(self, sample: int) -> None:
        """No sample comes after this one: every run ends there at the latest."""
        self.finish(sample)
        for kept in list(self._kept):
            kept.run.finish(sample)

    def call_off(self) -> None:
        """Nothing is kept. The lead-in goes first: its folder lies in the run's."""
        for run in (self._lead_in, self.run):
            if run is not None:
                run.call_off()
        self.run = self._lead_in = None

    def write(self) -> None:
        """Appends what has come to every run that waits for it."""
        for kept in list(self._kept):
            kept.run.write()
            if kept.run.ended and self.run is kept.run:
                self.run = None

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
