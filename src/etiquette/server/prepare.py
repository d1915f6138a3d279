"""Bring the database to this version and, for the demo, fill it; a process of its own, so that the supervisor stays
small:
`python -m etiquette.server.prepare [--demo]`, its database named by ETIQUETTE_DATABASE_URL, or the private one that
runs."""

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from etiquette.settings import LINK_FILE

if TYPE_CHECKING:
    from etiquette.stations.shop import Shop


KEPT = 3
"""Copies from before an upgrade; older ones go."""


def copy_before_upgrade(shop: "Shop", folder: Path) -> None:
    """What an upgrade changes cannot be taken back: a copy is made first. Raises JobError, and then nothing is
    changed."""
    from etiquette.store import backups

    there, own = shop.database.version()
    if there in (None, own):
        return
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    out = folder / f"before-{own}-from-{there}.zip"
    print(f"Data of version {there} are brought to {own}; a copy of them goes to {out}.", file=sys.stderr)
    backups.write(shop.database, shop.blobs, out)
    for old in sorted(folder.glob("before-*.zip"), key=lambda one: one.stat().st_mtime)[:-KEPT]:
        old.unlink()


def let_in(shop: "Shop", demo: bool) -> None:
    """Leave a link for the start to print, to the demo's operator or for the first owner; once people have accounts
    none. Raises JobError: on the network there has to be an owner first."""
    from etiquette.core.errors import JobError
    from etiquette.demo.whose import is_demo
    from etiquette.people import accounts, links

    off = shop.settings.network.off_loopback
    if off and not shop.database.within(accounts.has_owner):
        raise JobError(
            "Nobody has an account yet, and other machines would reach this one.",
            "--host",
            "Make the owner's account: “etiquette owner NAME”. Then start it so.",
        )
    if off:
        return
    key = shop.database.within(lambda session: links.first_link(session, demo and is_demo(session)))
    if key is not None:
        file = os.open(shop.settings.data / LINK_FILE, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with open(file, "w") as out:
            out.write(f"{links.PATH}{key}")


def fill(shop: "Shop") -> None:
    """The demo, where nobody's work is; its machines at every start."""
    from etiquette.demo import whose
    from etiquette.demo.moving_in import machines_move_in

    if shop.database.within(whose.claim):
        from etiquette.demo.load import load_demo  # seconds: only where it is needed

        load_demo(shop, with_devices=True)
    machines_move_in(shop)


def main() -> int:
    # not above: every child of the sandbox's fork server imports the main module again, this one, before it reads a
    # file
    from etiquette.core.errors import JobError
    from etiquette.server.mariadb import url_of_running
    from etiquette.settings import from_environment
    from etiquette.stations.shop import Shop
    from etiquette.store import settling

    settings = from_environment()
    shop = Shop.opened(settings, settings.database_url or url_of_running(settings.data / "mariadb"))
    try:
        there, own = shop.database.version()
        # an upgrade changes what others work with
        others_may = settings.broker is not None and there == own
        with shop.database.held_with_others() if others_may else shop.database.held_alone():
            copy_before_upgrade(shop, settings.data / "backups")
            shop.database.migrate()
            shop.blobs.sweep_unfinished()
            for sheet in shop.database.within(settling.settle_unfollowed):
                print(f"Nothing followed the print of {sheet}: say at Print what became of it.", file=sys.stderr)
            if "--demo" in sys.argv:
                fill(shop)
            let_in(shop, "--demo" in sys.argv)
    except JobError as error:
        print(f"{error.what} {error.do}", file=sys.stderr)
        return 1
    finally:
        shop.database.close()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
