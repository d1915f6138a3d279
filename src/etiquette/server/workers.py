"""What a worker process works with. The fork server imports this module for every worker and reader that it forks; what
computes heavily is imported where it works: a worker that has nothing to do stays small, and one that has done
something is put away after a while."""

import etiquette.sandbox.warm
import etiquette.server.all_tasks  # noqa: F401
from etiquette.server.logs import set_up_logs
from etiquette.settings import Settings
from etiquette.stations.shop import Shop
from etiquette.store.database import Database


def for_worker(settings: Settings, database_url: str) -> tuple[Database, Shop]:
    """Called in every worker when it begins."""
    set_up_logs()
    shop = Shop.opened(settings, database_url)
    return shop.database, shop
