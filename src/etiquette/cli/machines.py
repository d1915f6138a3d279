"""The commands that speak with machines: the drivers of the stations, without a database."""

import json
import secrets
import sys
import time
from dataclasses import asdict
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any

import typer

from etiquette.cli.files import read, say
from etiquette.core.errors import JobError

LOOK_SECONDS = 0.5


class Kind(StrEnum):
    printer = "printer"
    cutter = "cutter"
    eye = "eye"


class Confirm(StrEnum):
    oa = "oa"
    os = "os"
    none = "none"


def ask(
    address: Annotated[str, typer.Argument(help="ipp://host/ipp/print, socket://host:port, serial:/dev/ttyUSB0, …")],
    kind: Annotated[Kind, typer.Option(help="What is expected there.")],
) -> None:
    """Who answers at an address. Nothing moves, and nothing is printed."""
    from etiquette.devices import drivers

    loaded: list[dict[str, Any]] = []
    if kind is Kind.printer:
        printer = drivers.printer_at(address, address)
        who, status = printer.identity(), printer.status()
        loaded = [{"width_mm": one.width_mm, "length_mm": one.length_mm, "name": one.name} for one in printer.loaded()]
        state, reasons = status.state, list(status.reasons)
    elif kind is Kind.cutter:
        with drivers.cutter_at(address, address) as cutter:
            who = cutter.identity()
            known = cutter.status() if "OE" in who.understands else None
        state, reasons = (known.state, list(known.reasons)) if known else ("unknown", [])
    else:
        who = drivers.eye_at(address, address).identity()
        state, reasons = "ready", []
    say({**asdict(who), "state": state, "reasons": reasons, "loaded": loaded})


def print_file(
    file: Annotated[Path, typer.Argument(help="A PDF.")],
    address: Annotated[str, typer.Argument(help="ipp://host/ipp/print, folder:/path or socket://host:9100")],
    title: Annotated[str, typer.Option(help="What the printer shows at its panel.")] = "",
) -> None:
    """Send a PDF to a printer and follow it: a JSON line a change on stderr."""
    from etiquette.devices import drivers
    from etiquette.devices.contracts import ENDED, Document, LineBroken, PrintJob

    content = read(file)
    if not content.startswith(b"%PDF"):
        raise JobError(f"{file.name} is no PDF.", str(file), "Give a PDF.")
    printer = drivers.printer_at(address, address)
    key = f"E{secrets.token_hex(4)}"
    printer.send(PrintJob(key, title or file.stem, (Document("colour", content),)))
    before = None
    while True:
        try:
            now = printer.progress(key)
        except LineBroken:  # what it does it does all the same: it is asked again
            time.sleep(LOOK_SECONDS)
            continue
        if now != before:
            change = {"state": now.state, "share": now.share, "reasons": list(now.reasons)}
            print(json.dumps(change), file=sys.stderr, flush=True)
            before = now
        if now.state in ENDED or now.state == "unknown":
            break
        time.sleep(LOOK_SECONDS)
    ended = {"done": "done", "cancelled": "cancelled", "failed": "stopped", "unknown": "unknown"}[now.state]
    say({"state": ended, "reasons": list(now.reasons), "job": now.job})
    if ended in ("stopped", "cancelled"):
        raise typer.Exit(1)


def plot(
    file: Annotated[Path, typer.Argument(help="HP-GL.")],
    address: Annotated[str, typer.Argument(help="socket://host:port, serial:/dev/ttyUSB0?baud=9600, …")],
    confirm: Annotated[Confirm, typer.Option(help="The question that the machine answers.")] = Confirm.oa,
) -> None:
    """Send HP-GL to a cutter and follow it by questions."""
    from etiquette.devices import drivers
    from etiquette.devices.hpgl_cutter import as_program

    program = as_program(read(file).decode("ascii", "replace"))
    if not program:
        raise JobError(f"There is no HP-GL in {file.name}.", str(file), "Give a file of HP-GL.")
    with drivers.cutter_at(address, address, confirm=confirm.value) as cutter:
        done = cutter.run(program, lambda *_: True)
        at = asdict(cutter.position()) if confirm is not Confirm.none else None
    say({
        "state": "done",
        "instructions": done,
        "seconds": round(sum(one.seconds for one in program), 1),
        "certain": confirm is not Confirm.none,
        "at": at,
    })  # fmt: skip
