"""What takes long and much memory is done by a process of its own beside the server (safekeeping.py), and never keeps a
request waiting."""

import json
import os
import subprocess
import sys
from typing import Any

from etiquette.core.errors import JobError
from etiquette.stations.shop import Shop


def done_beside(shop: Shop, *what: str) -> dict[str, Any]:
    """Do it with this shop, and say what it said. Raises JobError when it could not be done."""
    command = [sys.executable, "-m", "etiquette.server.safekeeping", *what]
    place = {"ETIQUETTE_DATA": str(shop.settings.data), "ETIQUETTE_DATABASE_URL": "-"}
    done = subprocess.run(
        command,
        input=f"{shop.database.url}\n",
        env={**os.environ, **place},
        capture_output=True,
        text=True,
        check=False,
    )
    try:
        told: dict[str, Any] = json.loads(done.stdout)
    except ValueError:
        what_ended = f"The process for “{what[0]}” ended with {done.returncode}."
        raise JobError(what_ended, what[0], "Look into the log of the server.") from None
    if "error" in told:
        raise JobError(**told["error"])
    return told
