"""The terminal: ``./cattailer`` ends up here once everything is set up."""

import json
import os
import sys
from pathlib import Path
from typing import Any

import click

from cattailer import __version__
from cattailer.core.errors import Refusal, WrongUsage
from cattailer.core.wording import counted
from cattailer.terminal import studio

# Each command imports what it needs: ``meter`` is there at once, without a database or a web server.
# The matrices are small: more threads would wait for each other, and burn time with it.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="cattailer")
def main() -> None:
    """Cattailer: a multitrack capture station worked from the browser."""


for command in (studio.demo, studio.serve, studio.pair, studio.devices):
    main.add_command(command)


@main.command()
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def doctor(as_json: bool) -> None:
    """Check this machine and say what to do."""
    from cattailer.processes import doctor as doctors
    from cattailer.processes import home as homes

    findings = doctors.examine(homes.find())
    if as_json:
        click.echo(json.dumps({"findings": [vars(f) for f in findings]}))
    else:
        for finding in findings:
            click.echo(f"{'ok  ' if finding.good else 'LOOK'}  {finding.what:<12} {finding.says}")
    if not all(f.good for f in findings):
        sys.exit(1)


@main.command()
@click.option("--demo", "of_demo", is_flag=True, required=True, help="Record the demo's players.")
@click.option("--session", "title", help="A session of the studio, instead of the demo as it comes.")
@click.option("--tracks", help="all, or names or numbers with commas. [all; of a session those that are armed]")
@click.option("--seconds", type=float, help="For so long at most.")
@click.option("--range", "bars", help="Bars, such as 5-8; both are included.")
@click.option("--passes", type=click.IntRange(0, 1000), help="Round and round in the range; 0 until --seconds.")
@click.option("--punch", is_flag=True, help="A second either side of the range is kept too.")
@click.option("--pre-roll", default=0, type=click.IntRange(0, 16), help="Bars rolled before it.")
@click.option("--count-in", default=0, type=click.IntRange(0, 8), help="Bars counted in.")
@click.option("--start", default="now", show_default=True, type=click.Choice(["now", "sound", "while-sound"]))
@click.option("--threshold", default=-40.0, show_default=True, help="What counts as sound, in dBFS.")
@click.option("--limit", type=float, help="Captures so many seconds at most.")
@click.option("--out", type=click.Path(file_okay=False, path_type=Path), required=True)
@click.option("--clock", type=click.Choice(["virtual", "wall"]), default="wall", show_default=True)
@click.option("--rate", default=48000, show_default=True)
@click.option("--buffer", "period", default=128, show_default=True)
@click.option("--seed", default=1, show_default=True, help="How the players play this time.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def record(
    of_demo: bool, title: str | None, tracks: str | None, seconds: float | None, bars: str | None, passes: int | None,
    punch: bool, pre_roll: int, count_in: int, start: str, threshold: float, limit: float | None, out: Path, clock: str,
    rate: int, period: int, seed: int, as_json: bool,
) -> None:
    """Capture without a browser, files straight into --out."""
    from cattailer.processes import record as recording

    begin = {"now": "now", "sound": "sound", "while-sound": "sounds"}[start]
    way = recording.Way(
        seconds, recording.read_bars(bars), passes, punch, pre_roll, count_in, begin, threshold, limit,
    )
    plan = recording.plan_for(title, tracks, rate, period)
    done = recording.record(plan, out, way, clock == "virtual", seed)
    files = [file for each in done.written for file in story_files(each.story, each.story.folder, each.kind)]
    if as_json:
        click.echo(json.dumps({"rate": done.rate_hz, "dropouts": done.dropouts, "files": files}))
        return
    for file in files:
        kind = f" ({file['kind']}, pass {file['pass']})" if file["kind"] != "take" or file["pass"] > 1 else ""
        click.echo(
            f"{file['track']:<16} {file['path']}  {file['samples']} samples from {file['start']}, "
            f"peak {file['peak_dbfs']:.1f} dBFS{kind}"
        )
    click.echo(counted(done.dropouts, "dropout"))


@main.command()
@click.option("--demo", "of_demo", is_flag=True, required=True, help="With the demo's interface and players.")
@click.option("--mix", help="The name of a mix.")
@click.option("--output", type=int, help="An output, as printed on the panel.")
@click.option("--seconds", type=float, required=True)
@click.option("--out", type=click.Path(dir_okay=False, path_type=Path), required=True)
@click.option("--clock", type=click.Choice(["virtual", "wall"]), default="wall", show_default=True)
@click.option("--session", "title", help="A session of the studio, instead of the demo as it comes.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def hear(
    of_demo: bool, mix: str | None, output: int | None, seconds: float, out: Path, clock: str, title: str | None,
    as_json: bool,
) -> None:
    """Write what an ear gets to a file: an output or a mix, as late as it is heard."""
    from cattailer.processes import hear as hearing

    plan = hearing.plan_of(title) if title else hearing.demo_plan()
    done = hearing.hear(plan, mix, output, seconds, out, clock == "virtual")
    if as_json:
        late = {name: vars(each) for name, each in done.late.items()}
        told = {"rate": done.rate_hz, "mix": done.mix, "path": str(done.path), "samples": done.samples}
        click.echo(json.dumps({**told, "late_samples": late}))
        return
    click.echo(f"{done.mix}: {done.samples} samples in {done.path}")
    for name, each in done.late.items():
        direct = f"Direct {each.direct}, " if each.direct is not None else ""
        click.echo(f"{name:<16} {direct}Through {each.through} samples late")


@main.command()
@click.argument("title", metavar="SESSION")
@click.option("--out", type=click.Path(file_okay=False, path_type=Path), required=True)
@click.option("--as-it-lies", is_flag=True, help="The files begin with the first sound of any, not with bar 1.")
@click.option("--tracks", help="Names with commas. [all with sound]")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def comp(title: str, out: Path, as_it_lies: bool, tracks: str | None, as_json: bool) -> None:
    """Write what is in use of a session, one Broadcast WAV a track."""
    from cattailer.processes import comp as comping

    done = comping.write(title, out, as_it_lies, tracks)
    if as_json:
        click.echo(json.dumps({"rate": done.rate_hz, "files": [each.plain() for each in done.files]}))
        return
    for each in done.files:
        size = f"{each.samples} samples from {each.start}, peak {each.peak_dbfs:.1f} dBFS"
        click.echo(f"{each.track:<16} {each.path}  {size}")


def story_files(story: Any, folder: Path, kind: str = "take") -> list[dict[str, Any]]:
    """A run's files as every command prints them."""
    ends = {end.path: end for end in story.files}
    return [
        {
            "track": file.name, "path": str(folder / file.path), "channels": file.channels,
            "samples": story.samples, "start": story.header.start, "peak_dbfs": ends[file.path].peak_dbfs,
            "pass": story.header.pass_number, "kind": kind,
        }
        for file in story.header.files
        if file.path in ends
    ]


@main.command()
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def meter(files: tuple[Path, ...], as_json: bool) -> None:
    """Measure sound files: peaks, RMS, loudness, noise floor, DC, clips."""
    from cattailer.services.files import metering

    found, errors = [], []
    for path in files:
        try:
            found.append(metering.measure_file(path))
        except Refusal as why:
            errors.append(why.message)
    if as_json:
        click.echo(json.dumps({"files": found, "errors": errors}))
    for file in () if as_json else found:
        click.echo(f"{file['path']}  {file['samples'] / file['rate']:.1f} s at {file['rate']} Hz")
        loud = [("I", "integrated_lufs"), ("max M", "max_momentary_lufs"), ("max S", "max_short_term_lufs")]
        said = [f"{word} {_said(file[key], 'LUFS')}" for word, key in loud] + [f"LRA {_said(file['range_lu'], 'LU')}"]
        click.echo(f"  {', '.join(said)}")
        for number, c in enumerate(file["channels"], 1):
            click.echo(
                f"  channel {number}: peak {_said(c['peak_dbfs'], 'dBFS')}, "
                f"true peak {_said(c['true_peak_dbtp'], 'dBTP')}, RMS {_said(c['rms_dbfs'], 'dBFS')}, "
                f"floor {_said(c['noise_floor_dbfs'], 'dBFS')}, "
                f"DC {100 * c['dc']:.3f} %, {c['clips']} clips"
            )
    for message in errors:
        click.echo(f"cattailer: {message}", err=True)
    if errors:
        sys.exit(1)


@main.command()
@click.argument("reference", type=click.Path(path_type=Path))
@click.argument("recorded", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def align(reference: Path, recorded: Path, as_json: bool) -> None:
    """Tell how far RECORDED lies behind REFERENCE, and whether its polarity is turned."""
    from cattailer.services.files import alignment

    found = alignment.align_files(reference, recorded)
    if as_json:
        click.echo(json.dumps(found))
        return
    late = "late" if found["offset_samples"] >= 0 else "early"
    sure = "" if found["confidence"] >= alignment.SURE else "  Not sure: listen before you rely on it."
    click.echo(
        f"{recorded.name} is {abs(found['offset_samples']):.2f} samples ({abs(found['offset_ms']):.3f} ms) {late}, "
        f"polarity {'turned' if found['inverted'] else 'agrees'}, confidence {found['confidence']:.2f}.{sure}"
    )


@main.command()
@click.option("--device", required=True, help="The interface's key or name.")
@click.option("--rate", type=int, required=True)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def latency(device: str, rate: int, as_json: bool) -> None:
    """The latency of every buffer size that an interface offers, as its driver reports it."""
    from cattailer.services.desk import latencies

    found = latencies.latencies(device, rate, homes_folder())
    if as_json:
        click.echo(json.dumps(found))
        return
    click.echo(f"{found['device']} at {found['rate']} Hz")
    for row in found["buffers"]:
        click.echo(
            f"  {row['buffer']:>5} samples: in {row['input_samples']}, out {row['output_samples']}, "
            f"round trip {row['round_trip_samples']} ({row['round_trip_ms']:.1f} ms)"
        )


def homes_folder() -> Path:
    """Where people's own profiles are."""
    from cattailer.processes import home

    return home.find().profiles


def _said(value: float | None, unit: str) -> str:
    return "–" if value is None else f"{value:.1f} {unit}"


@main.command()
@click.argument(
    "folders", nargs=-1, type=click.Path(exists=True, file_okay=False, path_type=Path), metavar="[FOLDER]..."
)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def recover(folders: tuple[Path, ...], as_json: bool) -> None:
    """Mend runs that a crash cut short, and say what was kept: those of the studio, which are entered too, or those
    below each FOLDER, as record --out makes them."""
    from cattailer.processes import recovering

    found = recovering.recover(list(folders))
    if as_json:
        click.echo(json.dumps(found))
    else:
        for run in found["runs"]:
            click.echo(f"{run['session']}, run {run['number']}: {run['seconds']:.1f} s. {run['message']}")
            for file in run["files"]:
                says = f"; {file['says']}" if file["says"] else ""
                click.echo(f"  {file['path']}  {file['samples']} samples kept{says}")
        for trouble in found["troubles"]:
            click.echo(f"LOOK  {trouble['path']}: {trouble['says']}")
        click.echo(f"{counted(len(found['runs']), 'run')} recovered")
    if found["troubles"]:
        sys.exit(1)


def run() -> None:
    """Errors in one line; exit status 1 when the job failed, 2 on wrong usage."""
    try:
        main(standalone_mode=False)
    except click.UsageError as why:
        why.show()
        sys.exit(2)
    except click.exceptions.Abort:
        sys.exit(130)
    except Refusal as why:
        click.echo(f"cattailer: {why.message}", err=True)
        sys.exit(2 if isinstance(why, WrongUsage) else 1)
    except OSError as why:
        place = f" ({why.filename})" if why.filename else ""
        click.echo(f"cattailer: {why.strerror or why}{place}", err=True)
        sys.exit(1)


if __name__ == "__main__":
    run()
