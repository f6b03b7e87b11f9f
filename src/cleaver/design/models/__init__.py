"""Models: the shape of everything a designer writes, a module for each topic.

One class for each table of the design file, one line for each key of it: what it holds, what it means, an
example, its default and its bounds (`keys` says how). Whether there is what a name refers to is not known
here; `references` checks that. Start at `tables`.
"""

from cleaver.design.models.contests import *
from cleaver.design.models.effects import *
from cleaver.design.models.game import *
from cleaver.design.models.goods import *
from cleaver.design.models.quests import *
from cleaver.design.models.rooms import *
from cleaver.design.models.saves import *
from cleaver.design.models.spans import *
from cleaver.design.models.stats import *
from cleaver.design.models.tables import *
from cleaver.design.models.values import *
from cleaver.design.models.vitals import *
