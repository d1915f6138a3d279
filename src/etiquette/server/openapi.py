"""Write the OpenAPI description for the front end's types: `python -m etiquette.server.openapi FILE`."""

import json
import sys
from pathlib import Path

from etiquette.server.app import create_app

if __name__ == "__main__":
    target = Path(sys.argv[1])
    target.parent.mkdir(parents=True, exist_ok=True)
    text = json.dumps(create_app(None).openapi(), indent=1, sort_keys=True)
    if not target.exists() or target.read_text() != text:
        target.write_text(text)
