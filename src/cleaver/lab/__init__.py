"""Lab: many plays of one design by chance, and answers that a designer can act on.

The real engine plays; there is no second set of rules. A trial is a TOML file beside a design. Start at
`Lab`.
"""

from cleaver.errors import MissingExtraError

try:
    import numpy as _numpy  # noqa: F401  # before what needs them
    import scipy as _scipy  # noqa: F401
except ImportError:
    raise MissingExtraError("playing many sessions", "lab") from None

from cleaver.lab.answers import Compared, Lever, Levers, Measured, Page, Run, Solved, Swept
from cleaver.lab.engines import Dask, Joblib, Processes, Serial
from cleaver.lab.laboratory import Lab
from cleaver.lab.loading import load_trial
from cleaver.lab.play import Bot
from cleaver.lab.sessions import Sessions, Shape
from cleaver.lab.statistics import Difference, Estimate, Survival
from cleaver.lab.trial import Trial

__all__ = [
    "Bot",
    "Compared",
    "Dask",
    "Difference",
    "Estimate",
    "Joblib",
    "Lab",
    "Lever",
    "Levers",
    "Measured",
    "Page",
    "Processes",
    "Run",
    "Serial",
    "Sessions",
    "Shape",
    "Solved",
    "Survival",
    "Swept",
    "Trial",
    "load_trial",
]
