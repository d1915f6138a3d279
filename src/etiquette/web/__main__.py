"""The web server process: `python -m etiquette.web HOST PORT`, its database named by ETIQUETTE_DATABASE_URL."""

import sys

import uvicorn

from etiquette.settings import from_environment
from etiquette.stations.shop import Shop
from etiquette.web.app import create_app
from etiquette.work.local import LocalEngine


def main() -> None:
    settings = from_environment()
    if settings.database_url is None:
        raise SystemExit("Start Etiquette with ./start: it brings the database along.")
    engine = LocalEngine(settings, settings.database_url)
    app = create_app(Shop.opened(settings, settings.database_url), settings.built_front, engine)
    uvicorn.run(app, host=sys.argv[1], port=int(sys.argv[2]), log_level="warning", timeout_graceful_shutdown=3)


if __name__ == "__main__":
    main()
