"""The web server process: `python -m etiquette.web HANDLE`, a socket that listens already; its database is named by
ETIQUETTE_DATABASE_URL."""

import logging
import socket
import sys

import uvicorn

from etiquette.settings import from_environment
from etiquette.stations.shop import Shop
from etiquette.web.app import create_app
from etiquette.work.local import LOG_FORMAT, LocalEngine


def main() -> None:
    settings = from_environment()
    if settings.database_url is None:
        raise SystemExit("Start Etiquette with ./start: it brings the database along.")
    logging.basicConfig(format=LOG_FORMAT, level=logging.WARNING)
    engine = LocalEngine(settings, settings.database_url)
    app = create_app(Shop.opened(settings, settings.database_url), settings.built_front, engine)
    config = uvicorn.Config(app, log_config=None, timeout_graceful_shutdown=3)
    uvicorn.Server(config).run([socket.socket(fileno=int(sys.argv[1]))])


if __name__ == "__main__":
    main()
