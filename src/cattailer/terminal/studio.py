"""Starting the studio, and who may come in: ``demo``, ``serve``, ``pair``, ``devices``."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from cattailer.core.access.roles import Role

_NETWORK = (
    click.option("--host", default="127.0.0.1", show_default=True, help="Address to answer at; 0.0.0.0 for all."),
    click.option("--port", default=8080, show_default=True, type=click.IntRange(1, 65535)),
    click.option("--https-port", "secure_port", default=8443, show_default=True, type=click.IntRange(1, 65535),
                 help="For engineers and assistants on other machines."),
    click.option("--shared-machine", "shared", is_flag=True, help="Others work here too: browsers here need a key."),
    click.option("--certificate", type=click.Path(exists=True, dir_okay=False, path_type=Path),
                 help="Your own (PEM), instead of one that is made."),
    click.option("--key", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="Its key."),
    click.option("--as-root", is_flag=True, envvar="CATTAILER_AS_ROOT",
                 help="Stays root. For a container in which nothing else lives."),
)


def _network(command: Callable[..., None]) -> Callable[..., None]:
    for option in reversed(_NETWORK):
        command = option(command)
    return command


_fast = click.option("--fast-database", is_flag=True, hidden=True, help="For tests: no syncing of the database.")


@click.command()
@_network
@_fast
def demo(fast_database: bool, **network: Any) -> None:
    """Everything, with the demo session, at http://127.0.0.1:8080."""
    _run(True, fast_database, network)


@click.command()
@_network
@_fast
def serve(fast_database: bool, **network: Any) -> None:
    """Everything, without demo data."""
    _run(False, fast_database, network)


def _run(with_demo: bool, fast_database: bool, network: dict[str, Any]) -> None:
    from cattailer.processes import ownuser
    from cattailer.processes.network import Wanted
    from cattailer.processes.supervisor import Supervisor

    if not network.pop("as_root"):
        ownuser.settle(lambda text: click.echo(text, err=True))
    Supervisor(Wanted(**network), with_demo, click.echo, fast_database).run()


_role = click.option("--role", type=click.Choice([role.value for role in Role]), default="engineer", show_default=True)


@click.command()
@_role
@click.option("--mix", default="", help="A player's cue mix.")
@click.option("--name", default="", help="What the device is called.")
@click.option("--for-script", is_flag=True, help="Print a key for a script instead of a code.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def pair(role: str, mix: str, name: str, for_script: bool, as_json: bool) -> None:
    """Let one device into the studio that runs: a code, good once and for two minutes."""
    from cattailer.processes import wayin

    found = wayin.pair(Role(role), name, mix, for_script)
    click.echo(json.dumps(found.plain()) if as_json else "\n".join(found.lines))


@click.command()
@click.option("--put-out", type=int, metavar="NUMBER", help="Put one out; within two seconds it hears nothing more.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def devices(put_out: int | None, as_json: bool) -> None:
    """Which devices have a key, and when they were last seen."""
    from cattailer.processes import wayin

    found = wayin.devices(put_out)
    if as_json:
        click.echo(json.dumps({"devices": found}))
        return
    for each in found:
        mix = f": {each['mix']}" if each["mix"] else ""
        seen = each["seen"] or "never seen"
        click.echo(f"{each['number']:>4}  {each['name']:<28} {each['role']}{mix}  {seen}  {each['address']}")
    if not found:
        click.echo("No device has a key.")
