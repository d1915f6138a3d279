"""A worker of a shop on several machines: `python -m etiquette.server.working computing|devices NAME [MACHINE,…]`. One
that computes is told by the broker; one that moves machines looks for them itself, and for those alone that are named,
if any are."""

import os
import sys

from etiquette.settings import from_environment


def main(lane: str, name: str, machines: str = "") -> None:
    # not above: every child that reads a file imports the main module of this process again
    from etiquette.server.workers import for_worker
    from etiquette.tasks.work import Worker

    settings = from_environment()
    assert settings.database_url and settings.broker  # the supervisor has looked
    os.environ.pop("ETIQUETTE_DATABASE_URL", None)  # no child of this process finds its password there
    database, shop = for_worker(settings, settings.database_url)
    with database.held_with_others():
        print("ready", flush=True)
        if lane == "computing":
            from etiquette.tasks.broker import work_off

            work_off(settings.broker, Worker(database, shop, "computing"), name)
        else:
            from etiquette.tasks.local import move_machines

            wanted = tuple(one.strip() for one in machines.split(",") if one.strip())
            move_machines(Worker(database, shop, "devices", wanted))


if __name__ == "__main__":
    main(*sys.argv[1:])
