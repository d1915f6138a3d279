"""Every task of every station, and what a task may find, for the worker that runs them and the address that shows
them."""

from typing import Annotated, Any, Union

from pydantic import Field

import etiquette.demo.tasks
import etiquette.intake.tasks
import etiquette.stations.bench.tasks
import etiquette.stations.floor.tasks
import etiquette.stations.lines.tasks
import etiquette.stations.print.tasks
import etiquette.stations.run.tasks
import etiquette.stations.shelf.tasks  # noqa: F401
from etiquette.tasks.task import TASKS

FOUND: Any = Annotated[Union[tuple({kind.result: None for kind in TASKS.values()})], Field(discriminator="found")]
"""The results of all tasks, told apart by their word `found`."""
