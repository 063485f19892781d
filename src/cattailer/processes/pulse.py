"""Whether the engine and the database still answer: asked again and again, beside everything else."""

from cattailer.core.errors import Refusal
from cattailer.engine.messages.commands import Ping
from cattailer.engine.process.client import EngineClient
from cattailer.engine.process.loops import Loops
from cattailer.processes.postgres import Postgres

ASK_S, PAUSE_S = 1, 0.5
MOST_MISSED = 4
"""Answers that may fail to come in a row. They are counted, not seconds: a computer that slept has missed none."""


class Pulse:
    """A process counts as hanging only after it has answered once."""

    def __init__(self, engine: EngineClient, postgres: Postgres) -> None:
        self._engine, self._postgres = engine, postgres
        self._missed = {"engine": -1, "database": -1}
        self._loops = Loops()
        self._loops.start("engine", self._ask_engine, PAUSE_S)
        self._loops.start("database", self._ask_database, PAUSE_S)

    def _ask_engine(self) -> None:
        try:
            self._engine.ask(Ping(), float(ASK_S))
        except Refusal:
            self._note("engine", False)
        else:
            self._note("engine", True)

    def _ask_database(self) -> None:
        self._note("database", self._postgres.answers(ASK_S))

    def _note(self, name: str, answered: bool) -> None:
        if answered:
            self._missed[name] = 0
        elif self._missed[name] >= 0:
            self._missed[name] += 1

    def engine_hangs(self) -> bool:
        """Says it once: the next engine must answer first."""
        return self._hangs("engine")

    def database_hangs(self) -> bool:
        return self._hangs("database")

    def _hangs(self, name: str) -> bool:
        if self._missed[name] < MOST_MISSED:
            return False
        self._missed[name] = -1
        return True

    def stop(self) -> None:
        self._loops.stop(0.1)
