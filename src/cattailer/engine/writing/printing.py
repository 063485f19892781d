"""The click as a file: the same ticks that a mix gets, written without waiting for any clock."""

from dataclasses import replace
from pathlib import Path

import numpy as np

from cattailer.core.plan import Plan
from cattailer.engine.block.ring import Ring
from cattailer.engine.sources.click import Click
from cattailer.engine.writing.runkeeper import RunKeeper
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media import journal

BLOCK = 8192


def print_click(plan: Plan, folder: Path, stem: str, header: journal.RunHeader, samples: int) -> journal.RunStory:
    """Writes ``samples`` of click from ``header.start`` on as a run of one mono file. Raises OSError."""
    click = Click(plan.tempo, plan.clicking)
    ring = Ring(1, 8 * BLOCK)
    files = tuple(replace(f, inputs=(0,)) for f in header.files)
    run = RunWriter(folder, stem, replace(header, files=files), ring, lambda _: None)
    run.begin(0)
    run.finish(samples)
    block = np.zeros((2, BLOCK), np.float32)
    keeper = RunKeeper(run)
    while not run.done:
        if ring.written < samples:
            block[:] = 0.0
            click.pump([header.start + ring.written])
            click.add(block, header.start + ring.written)
            ring.write(block[:1])
        run.write()
        keeper.keep()
    if run.story is None:
        raise OSError(run.message)
    return run.story
