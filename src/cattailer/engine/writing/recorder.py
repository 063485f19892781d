"""What an engine captures at the moment: a run, and what is counted in before it."""

from cattailer.engine.writing.runwriter import RunWriter


class Recorder:
    """Ring samples in, files out. The block path only says where things begin and end; ``pump`` does the work."""

    def __init__(self) -> None:
        self.run: RunWriter | None = None
        self.head: RunWriter | None = None

    @property
    def _both(self) -> list[RunWriter]:
        return [run for run in (self.head, self.run) if run is not None]

    def begin(self, run: RunWriter, head: RunWriter | None, first: int, lead: int, samples: int | None) -> None:
        """The head begins at ring sample ``first``, the run ``lead`` later and lasts ``samples`` if given."""
        self.run, self.head = run, head
        if head is not None:
            head.begin(first)
            head.finish(first + lead)
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
        """Nothing of it is kept."""
        for run in self._both:
            run.call_off()

    def pump(self) -> bool:
        """Writes what has come; True when the run is over and closed."""
        for run in self._both:
            run.pump()
        if self.head is not None and self.head.done:
            self.head = None
        if self.head is None and self.run is not None and self.run.done:
            self.run = None
            return True
        return False
