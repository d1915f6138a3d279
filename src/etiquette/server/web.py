"""The web server process: `python -m etiquette.server.web HANDLE HEARS`, a socket that listens already and one that
tells when the database is prepared; that is named by ETIQUETTE_DATABASE_URL, or is the private one that its supervisor
started."""

import os
import socket
import sys
from functools import partial
from multiprocessing import forkserver
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from etiquette.stations.shop import Shop
    from etiquette.tasks.engine import Engine

WORKERS = "etiquette.server.workers"


def _engine(shop: "Shop") -> "Engine":
    """Who does the long work: processes of this machine, or whoever hears of it from the broker."""
    if shop.settings.broker is not None:
        from etiquette.tasks.broker import BrokerEngine

        return BrokerEngine(shop.settings.broker, shop.database)
    from etiquette.server.workers import for_worker
    from etiquette.tasks.local import LocalEngine

    return LocalEngine(partial(for_worker, shop.settings, shop.database.url), WORKERS)


def main() -> None:
    # not above: every worker, and every child that reads a file, imports the main module of this process again
    from etiquette.server.mariadb import url_of_running
    from etiquette.server.memory import load, stay
    from etiquette.settings import from_environment

    load()
    settings = from_environment()
    url = settings.database_url or url_of_running(settings.data / "mariadb")
    os.environ.pop("ETIQUETTE_DATABASE_URL", None)  # no child of this process finds its password there
    if settings.broker is None:
        forkserver.set_forkserver_preload([WORKERS])
        forkserver.ensure_running()  # it loads what workers need while this process loads what it needs itself
    import uvicorn

    from etiquette.server.app import create_app
    from etiquette.server.aside import forked
    from etiquette.server.logs import set_up_logs
    from etiquette.server.prepared import wait_for_it
    from etiquette.stations.shop import Shop

    if not wait_for_it(int(sys.argv[2])):
        return
    set_up_logs()
    shop = Shop.opened(settings, url)
    app = create_app(shop, settings.built_front, _engine(shop))
    stay()
    listens = int(sys.argv[1])
    if len(os.sched_getaffinity(0)) > 1:
        app.state.reader = forked(app, listens)
    network = settings.network
    config = uvicorn.Config(
        app,
        log_config=None,
        timeout_graceful_shutdown=3,
        ssl_certfile=network.certificate,
        ssl_keyfile=network.key,
        proxy_headers=network.proxy is not None,  # nobody else is believed what he says of who asks
        forwarded_allow_ips=network.proxy,
        server_header=False,
    )
    uvicorn.Server(config).run([socket.socket(fileno=listens)])


if __name__ == "__main__":
    main()
