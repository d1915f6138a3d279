"""What the fork server holds for every worker and reader that it forks. What computes heavily is imported where it works: a
worker that has nothing to do stays small, and one that has done something is put away after a while."""

import etiquette.sandbox.warm
import etiquette.stations.shop
import etiquette.work.tasks  # noqa: F401
