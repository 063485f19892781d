"""What an engine captures at the moment: a run, and what is counted in before it."""

from cattailer.engine.writing.runwriter import RunWriter


class Recorder:
    """Ring samples in, files out. The block path only says where things begin and end; ``pump`` does the work."""

    def __init__(self) -> None:
        self.run: RunWriter | None = None
        self.lead_in: RunWriter | None = None
        self._off = False

    @property
    def _both(self) -> list[RunWriter]:
        return [run for run in (self.lead_in, self.run) if run is not None]

    def begin(self, run: RunWriter, lead_in: RunWriter | None, first: int, lead: int, samples: int | None) -> None:
        """The lead-in begins at ring sample ``first``, the run ``lead`` later and lasts ``samples`` if given."""
        self.run, self.lead_in, self._off = run, lead_in, False
        if lead_in is not None:
            lead_in.begin(first)
            lead_in.finish(first + lead)
        run.begin(first + lead)
        if samples is not None:
            run.finish(first + lead + samples)

    def lost(self, sample: int, samples: int, load: float) -> None:
        for run in self._both:
            run.lost(sample, samples, load)

    def finish(self, sample: int) -> None:
        if self.run is not None:
            self.run.finish(sample)

    def call_off(self) -> None:
        """Nothing is kept. ``pump`` takes both away together, the lead-in first: its folder lies in the run's."""
        self._off = True

    def pump(self) -> bool:
        """Writes what has come; True when the run is over and closed."""
        off = self._off
        if off:
            self._off = False
        for run in self._both:
            if off:
                run.call_off()
            run.pump()
        if self.lead_in is not None and self.lead_in.done:
            self.lead_in = None
        if self.lead_in is None and self.run is not None and self.run.done:
            self.run = None
            return True
        return False
