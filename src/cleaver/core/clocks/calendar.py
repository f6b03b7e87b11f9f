"""Calendar: the number of a day, for games whose days are those of a calendar. Start at `day_of`."""

from __future__ import annotations

from cleaver.core.kernel.arguments import number
from cleaver.errors import AmountError, UsageError, said

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from datetime import datetime


def day_of(moment: datetime, starts_at: float = 4) -> int:
    """Return the number of the day that a moment is in, for `World.set_day`: that of its date by
    `datetime.date.toordinal`, where the day begins at a certain hour.

    Args:
        moment: A moment with a time zone; the day is the one in that zone.
        starts_at: The hour, by the clocks of that zone, at which a day begins: from 0 to less than 24.

    >>> from datetime import datetime, timezone
    >>> day_of(datetime(2025, 9, 1, 3, 59, tzinfo=timezone.utc))
    739494
    >>> day_of(datetime(2025, 9, 1, 4, 0, tzinfo=timezone.utc))
    739495

    Raises:
        UsageError: No moment, or one without a time zone.
        AmountError: No such hour.
    """
    from datetime import datetime, timedelta  # only who has a calendar needs it

    hour = number("the hour at which a day begins", starts_at)
    if not 0 <= hour < 24:
        raise AmountError("the hour at which a day begins", starts_at, "a number from 0 to less than 24")
    if not isinstance(moment, datetime) or moment.tzinfo is None:
        raise UsageError(
            f"{said(moment)} is no moment with a time zone; give one, such as "
            "datetime.now(ZoneInfo('Europe/Lisbon'))"
        )
    wall = moment.replace(tzinfo=None, fold=0)
    if (wall - datetime.min) < timedelta(hours=hour):
        return 0
    return (wall - timedelta(hours=hour)).toordinal()
