"""The web server process: `python -m etiquette.server.web HANDLE`, a socket that listens already; its database is named
by ETIQUETTE_DATABASE_URL, or is the private one that its supervisor started."""

import os
import socket
import sys
from functools import partial


def main() -> None:
    # not above: every worker, and every child that reads a file, imports the main module of this process again
    import uvicorn

    from etiquette.server.app import create_app
    from etiquette.server.logs import set_up_logs
    from etiquette.server.mariadb import url_of_running
    from etiquette.server.memory import stay
    from etiquette.server.workers import for_worker
    from etiquette.settings import from_environment
    from etiquette.stations.shop import Shop
    from etiquette.tasks.local import LocalEngine

    settings = from_environment()
    url = settings.database_url or url_of_running(settings.data / "mariadb")
    os.environ.pop("ETIQUETTE_DATABASE_URL", None)  # no child of this process finds its password there
    set_up_logs()
    engine = LocalEngine(partial(for_worker, settings, url), "etiquette.server.workers")
    app = create_app(Shop.opened(settings, url), settings.built_front, engine)
    stay()
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
    uvicorn.Server(config).run([socket.socket(fileno=int(sys.argv[1]))])


if __name__ == "__main__":
    main()
