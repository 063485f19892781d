"""The click as a file: the same ticks that a mix gets, written without waiting for any clock."""

from dataclasses import replace
from pathlib import Path

import numpy as np

from cattailer.core.plan import Plan
from cattailer.engine.block.ring import Ring
from cattailer.engine.sources.click import Click
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
    while not run.done:
        block[:] = 0.0
        click.add(block, header.start + ring.written)
        ring.write(block[:1])
        run.pump()
    assert run.story is not None
    return run.story
