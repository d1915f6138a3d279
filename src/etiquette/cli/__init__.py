"""The command `etiquette`: files in, files out, one JSON object on stdout. Exit 0 done, 1 cannot be done, 2 wrong use.

Everything heavy is imported inside its command: importing it all costs seconds.
"""

import json
from pathlib import Path
from typing import Annotated

import typer

from etiquette.cli.cutting import align, cut
from etiquette.cli.fills import fill
from etiquette.cli.keeping import backup, check, collect, link, owner, restore
from etiquette.cli.lines import contour, lines
from etiquette.cli.machines import ask, plot, print_file
from etiquette.cli.runs import nest, plates
from etiquette.cli.signs import braille
from etiquette.cli.tiling import tiles
from etiquette.cli.webs import web
from etiquette.core.errors import JobError

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    help="Contours, nesting, fits and cuts for print-and-cut work.",
    pretty_exceptions_enable=False,
)


def main() -> None:
    """Run a command; errors of the job become one JSON object and exit code 1."""
    try:
        app(standalone_mode=True)
    except JobError as error:
        print(json.dumps({"error": {"what": error.what, "where": error.where, "do": error.do}}, ensure_ascii=False))
        raise SystemExit(1) from None


for command in (
    contour,
    lines,
    nest,
    plates,
    tiles,
    braille,
    web,
    fill,
    align,
    cut,
    ask,
    plot,
    backup,
    restore,
    check,
    collect,
    link,
    owner,
):
    app.command()(command)
app.command("print")(print_file)


@app.command()
def serve(
    demo: Annotated[
        bool, typer.Option("--demo", help="Load the demo into an empty database and start the simulated devices.")
    ] = False,
    host: Annotated[
        str, typer.Option(help="Where to listen. Others than this machine's own need TLS and an owner's account.")
    ] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="The first port to try.")] = 8700,
    names: Annotated[str, typer.Option(help="Names and addresses it is opened by, with commas between.")] = "",
    certificate: Annotated[Path | None, typer.Option(help="TLS certificate, with its chain (PEM).")] = None,
    key: Annotated[Path | None, typer.Option(help="The certificate's private key (PEM).")] = None,
    proxy: Annotated[str, typer.Option(help="Address of the proxy that ends TLS and says who asks.")] = "",
) -> None:
    """Start the database, the workers, the web server and, for the demo, the simulated devices."""
    import os
    import sys

    # a process without what this command has imported: it stays for as long as the rest
    more = ["--demo"] if demo else []
    for name, value in (("NAMES", names), ("CERTIFICATE", certificate), ("KEY", key), ("PROXY", proxy)):
        if value:
            os.environ[f"ETIQUETTE_{name}"] = str(value)
    os.execv(sys.executable, [sys.executable, "-m", "etiquette.server.supervisor", host, str(port), *more])


@app.command()
def work(
    computing: Annotated[int, typer.Option(help="So many processes compute: about one a core.")] = 2,
    devices: Annotated[bool, typer.Option(help="Move machines too.")] = True,
    machines: Annotated[
        str,
        typer.Option(help="Names on the Shelf of those reached from here, with commas between; none: all."),
    ] = "",
) -> None:
    """Work for a shop whose servers are elsewhere (ETIQUETTE_DATABASE_URL, ETIQUETTE_BROKER, ETIQUETTE_FILES)."""
    import os
    import sys

    more = ["--devices"] if devices else []
    command = [sys.executable, "-m", "etiquette.server.supervisor", "work", str(computing), machines, *more]
    os.execv(sys.executable, command)
