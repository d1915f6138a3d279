"""What every worker needs, imported once by the fork server, so that a new worker starts at once."""

import etiquette.core.aligning.reading
import etiquette.core.cutting.writers
import etiquette.core.finishing.lines
import etiquette.core.planning.nesting
import etiquette.core.printing.plates
import etiquette.sandbox.warm
import etiquette.stations.shop
import etiquette.work.tasks  # noqa: F401
