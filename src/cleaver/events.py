"""A class for each event, to annotate listeners with.

    def show(event: cleaver.events.Damaged) -> None: ...
    world.listen("damaged", show)

A checker then knows `event.amount`, and finds a misspelt field. At run time every event is an `Event`.
"""

from cleaver.core.kernel.event_types import *  # noqa: F403
