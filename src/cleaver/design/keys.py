"""Keys: what each key of a design file means, in one line, with an example.

Read by the JSON Schema, so that editors say it while one types, and by the reference in the docs. Ranges and
defaults are in `models`. Start at `KEYS`.
"""

from __future__ import annotations

_MATCHER = """
on: the event it hears = "damaged"
of: the other party's kind, tag or name of a pickup = "eel"
where: a formula that must hold, over the event's fields, `self` and `source` = "amount > 5"
own_side: whether `defeated`, `struck` and `mended` count what one does to oneself or one's own side, too = true
"""
_TALLY = f"""{_MATCHER}
count: how often it must come = 3
sum: the field that is added up = "amount"
best: the field whose largest value counts = "depth"
least: the field whose smallest value counts = "time"
distinct: the field whose different values are counted = "place"
within: only the last so many seconds count = 10.0
reset_on: the event that sets it back to nothing = "died"
who: whose events count: one's own, the team's, or anyone's = "team"
"""
_FLOW = """
rate: units a second; below 0 drains = -1.2
while: flows only while this tag is set = "submerged"
unless: flows only while this tag is not set = "submerged"
after_hurt: seconds after the last hurt in which it rests = 3.0
until: the fraction of the maximum where it stops = 0.5
every: changes in steps of so many seconds, each with an event, instead of smoothly = 0.5
"""

_SEEN = """
seen_by: whose screens know of it: "all", its "owner", the "team", or "nobody" = "team"
"""

_TEXT = {
    "DesignTables": """
game: title, version of what is saved, tags that your game sets = { title = "Lanternreef", version = 1 }
inputs: numbers that your game gives to formulas, with their defaults = { charge = 1.0 }
events: events that your game announces = { reached = { fields = { place = "name" } } }
currencies: whole-number money = { scrip = { start = 5 } }
items: things that are held = { pearl = { most = 20 } }
actors: kinds of actors, anything with meters = { eel = { vital = "hide", meters = { hide = 30 } } }
statuses: something temporary on an actor = { venom = { lasts = 3.0 } }
pickups: things that lie in the world = { pearl = { do = [ { give = "pearl" } ] } }
rules: on an event that matches, do effects = [ { on = "collected", of = "pearl", do = [ { score = 10 } ] } ]
exchanges: some goods for others: a shop, a sale, a craft = { office = { costs = { pearl = 1 }, gives = { scrip = 15 } } }
teams: who stands together = { north = { spawn = "north_pier" } }
matches: contests with an end = { race = { teams = ["north", "south"], win_at = 7 } }
ratings: stars for a result = { dive = { measure = "self.score", steps = [20, 60] } }
levels: ranks reached by experience = { rank = { experience = "100 * level", most = 10 } }
records: lifetime tallies of each player = { deepest = { on = "reached", best = "depth" } }
quests: quests with goals and rewards = { bells = { goals = [ { hold = "pearl", count = 2 } ] } }
quest_sets: quests of which only some are offered, drawn by the dice = { daily = { quests = ["bells"], draw = 1 } }
achievements: given once per player, for ever = { first_pearl = { on = "gained", item = "pearl" } }
stages: content laid out for play: what lies and lives where = { reef = { pickups = { pearl = 12 }, actors = { eel = 6 } } }
texts: the text that a player sees for an event, with its fields in braces = { scored = "{actor} earned {amount} points" }
rooms: what clients may ask for, where several play on several screens = { allow = ["take", "talk"] }
saves: what is kept of a player, and what names became of older ones = { include = ["currencies", "items"] }
check: settings of `cleaver check` = { silence = [] }
""",
    "Game": """
title: the game's name = "Lanternreef"
version: of what is saved; one more whenever names in it change = 2
tags: tags that your game sets, so that a misspelt one is found = ["submerged"]
negative_scores: whether `deduct` may take a score below 0 = true
restart_keeps: what players keep where a stage is played again = ["achievements", "records", "ratings"]
""",
    "Event": f"""fields: what it tells: names and numbers = {{ place = "name", depth = "number" }}{_SEEN}""",
    "Currency": f"""
start: what a player has who was never saved = 5
most: more than this is not kept; `earn` says what did not fit = 9999
pooled: one purse for a whole team = true{_SEEN}""",
    "Item": f"""
most: how many one may hold = 20
size: how much room one takes in the bag = 2
title: its name for players = "Brass helm"{_SEEN}""",
    "Flow": _FLOW,
    "StatusFlow": f'{_FLOW}\nmeter: the meter that flows = "air"',
    "MeterTable": f"""
max: its maximum; a bare number for a meter is this = 90
start: its value at first; by default full = 0
whole: holds whole numbers only = true
round: how an amount becomes whole = "down"
marks: named fractions that raise `crossed` = {{ low = 0.25 }}
flows: what changes it by itself = [ {{ rate = 5, after_hurt = 3.0 }} ]
overfill: how far healing may go above the maximum = 20
shields: absorbs hits before this other meter = "suit"
cells: into how many cells a bar shows it = 12
saved: outlives the session = true{_SEEN}""",
    "Guard": """
zones: places on the body, and what they multiply a hit by = { visor = 3 }
through: types of damage, and what part of them comes through = { venom = 0.5 }
armour: taken off every hit = 1
scale: a formula that every hit is multiplied by; `self` is who is hit = "1 / (1 + near(6))"
grace: seconds without a hit after one = 0.8
immune_while: tags under which nothing hits = ["in_harbour"]
least: what armour leaves of a hit at least = 1
most: more than this no hit takes = 40
""",
    "Crit": """
chance: how likely a hit is critical = 0.1
times: what a critical hit is multiplied by = 2
""",
    "Attack": """
amount: what it takes: a number, or a formula over inputs and the attacker = "6 + 6 * charge"
type: its type of damage, which guards know by `through` = "venom"
cooldown: seconds before the same attack may hit the same target again: a number, or a formula = "2 - self.rank / 10"
crit: the chance of a critical hit = { chance = 0.1, times = 2 }
ignores: steps of the guard it passes by = ["armour"]
hits_owner: whether it may hit whom its attacker acts for, or a shot who launched it = true
pierces: how many more a shot of it hits, each once = 1
flight: seconds after which a shot of it is over = 4.0
do: effects on the target of a hit that lands = [ { status = "venom" } ]
""",
    "Pulse": """
every: seconds from one to the next: a number, or a formula, worked out where each begins = 4.0
at_once: whether it comes at the start as well = true
do: the effects = [ { earn = "scrip", amount = 6, to = "owner" } ]
""",
    "Bag": """most: how much it holds, in sizes of items = 4""",
    "Lives": """
start: at first, the present one included = 3
most: more than this is not kept = 9
""",
    "Respawn": """
after: seconds from death to return: a number, or a formula = 2.0
fraction: of each meter on return = 0.5
grace: seconds without hits on return = 1.5
""",
    "Actor": """
player: its progress can be saved; it has a purse, levels, quests = true
vital: the meter it dies of = "suit"
tags: words on it from the start = ["boss"]
title: its name for players = "Moray"
spawn: the name of the place where it enters = "north_pier"
bag: how much it can hold = { most = 4 }
lives: how many lives it has = { start = 3 }
respawn: how it comes back after a death = { after = 2.0 }
meters: numbers between 0 and a maximum = { suit = 90 }
guard: all that stands between a hit and a meter = { armour = 1 }
attacks: hits it can land = { jab = { amount = 15, cooldown = 0.5 } }
pulses: effects it repeats = { haul = { every = 4.0, do = [ { earn = "scrip", amount = 6, to = "owner" } ] } }
on_death: effects at its death; `source` is who did it = [ { score = 100, to = "source" } ]
vanish_after: seconds from its death until it is taken out of the world = 2.0
keep: stays in the world where a stage ends = true
reach: how far it takes and exchanges where these say no reach of their own, and from how far it is talked to, in your game's units = 3
""",
    "Status": f"""
lasts: seconds, or a formula of them; by default until cured = 3.0
stack: what a second one does: begins anew, adds its time, runs beside the first, or is refused = "extend"
most: how many may run side by side with `add` = 3
tags: tags it brings = ["slow"]
flows: what it lets meters do = [ {{ meter = "air", rate = -2 }} ]
pulses: effects it repeats = [ {{ every = 0.5, do = [ {{ hurt = 2, type = "venom" }} ] }} ]
deals: what hits of whoever has it are multiplied by = 0.5
through: what part of a type of damage comes through = {{ venom = 2 }}
scale: what hits on whoever has it are multiplied by = 0.5{_SEEN}""",
    "Pickup": """
inputs: its own numbers, which each placement may change = { mends = 25 }
do: effects on whoever takes it = [ { heal = "mends" } ]
for: kinds, tags or teams that may take it; by default players = "diver"
needs: formulas that must all be true, else it is `locked` = ["self.level.rank >= 2"]
once: lets each player take it once ever, whichever placement = true
reach: from how far it can be taken, in your game's units; else as far as who takes it reaches = 2
waste: is taken even where it would do nothing = true
stays: stays lying there = true
split: gives what fits and keeps the rest = true
cooldown: seconds before it can be taken again, by anybody: a number, or a formula = 5.0
respawn_after: seconds until it lies there again = 30.0
respawn_in: the box in which it comes back, by axis = { x = [0, 10], y = [0, 4] }
tags: words that rules and goals can ask for = ["salvage"]
title: its name for players = "Sealant kit"
""",
    "Team": """
spawn: the name of the place where it enters = "north_pier"
friendly_fire: whether its own hits count, or what part of them = 0.5
""",
    "Exchange": """
costs: what it takes = { scrip = "40 + 10 * bought" }
gives: what it gives = { brass_helm = 1 }
do: effects beside the goods, each time = [ { raise_max = "suit", amount = 10 } ]
all: done as often as it can be, in one go = true
needs: formulas that must hold = ["self.rank >= 2"]
stock: how often it can be done = 3
restock_after: seconds until the stock is full again = 120.0
at: where it stands, in your game's units = [3, 4]
reach: from how far it can be used; else as far as who uses it reaches = 5
title: its name for players = "Harbour office"
""",
    "Stage": """
title: its name for players = "The reef"
pickups: how many of each lie there, or where = { pearl = 12, sealant = [[3, 0], [9, 2]] }
actors: how many creatures of each kind live there, or where = { eel = 6, moray = 1 }
rating: the rating whose stars are kept for this stage = "dive"
needs: formulas that must hold for every player to enter it = ["self.stars >= 4"]
""",
    "MatchTable": """
teams: who takes part; by default each player alone = ["north", "south"]
rules: rules that hold while it runs, whose score is the match's = [ { on = "collected", of = "pearl", do = [ { score = 1 } ] } ]
win_at: the score that wins, or "all" there is to collect = 7
win_when: a formula that ends it = "self.score >= 3"
time_limit: seconds it lasts at most = 600.0
on_tie: what a tie at the end is = "extra_time"
friendly_fire: as of teams, while it runs = false
rounds: how many rounds are played = 3
title: its name for players = "Salvage race"
""",
    "Condition": """
text: what the star is for = "Come back alive"
when: the formula that earns it = "self.alive"
""",
    "Rating": """
measure: the formula that is rated = "self.score"
steps: what each star needs = [20, 60, 120]
better: whether more or less is better = "lower"
conditions: stars for conditions, in place of steps = [ { text = "Come back alive", when = "self.alive" } ]
unit: of the measure, for texts = "seconds"
title: its name for players = "Clean dive"
""",
    "LevelLadder": """
experience: from one level to the next: a formula of `level`, or a list = "100 * level"
most: the last level; needed with a formula = 10
do: effects at each new level = [ { raise_max = "suit", amount = 10 } ]
title: its name for players = "Rank"
""",
    "Record": _TALLY,
    "Fail": _TALLY,
    "Goal": f"""{_TALLY}
name: what it is known by where the design changes while the game runs = "eels"
hold: the good that must be held, in place of an event = "pearl"
hand_over: what is held is taken at turning in = true
optional: not needed to finish = true
hidden: not shown until it is met = true
reward: effects when it is met = [ {{ xp = "rank", amount = 20 }} ]
text: what the player reads = "Drive off eels"
""",
    "Quest": """
title: its name for players = "The drowned bells"
text: what it is about = "Eels have taken the belfry."
giver: who gives it and takes it = "harbourmaster"
needs: formulas that must hold before it is available = ["self.rank >= 2"]
goals: what is to be done = [ { on = "defeated", of = "eel", count = 3 } ]
order: whether goals count in any order or one after another = "in_turn"
needs_goals: how many goals suffice = 2
finish: whether it is turned in or finishes by itself = "auto"
reward: effects when it is completed, once = [ { earn = "scrip", amount = 85 } ]
says: what the giver says in each state: a text, or several that follow one another = { available = ["Listen.", "Three eels, two pearls."] }
turn_in_lasts: seconds that turning in takes, in which it cannot be asked again = 2.0
time_limit: seconds from accepting it to its failure = 120.0
fails: what lets it fail = [ { on = "died" } ]
repeat: seconds or calendar days until it is available again; by default it is given once = { days = 1 }
""",
    "QuestSet": """
quests: those that belong to it = ["bells", "first_light"]
draw: how many are offered at a time = 2
every: seconds from one draw to the next = 86400.0
days: calendar days from one draw to the next, as your game says what day it is = 1
""",
    "Achievement": f"""{_TALLY}
title: its name for players = "Eel bane"
text: what it is for = "Defeat ten eels"
icon: your game's name for its picture = "eel.png"
hidden: not shown before it is achieved = true
ranks: ranks with the count each needs = {{ lantern = 10, beacon = 25 }}
reward: effects when it is achieved = [ {{ earn = "scrip", amount = 50 }} ]
""",
    "Rule": f"""{_MATCHER}
name: what its dice are named for; by default its event and its number among the rules on it = "pearls_of_eels"
do: the effects = [ {{ score = 10 }} ]
""",
    "Silence": """
rule: the rule's name, as `cleaver check` prints it in brackets = "contact_every_frame"
at: the key path it is about = "actors.diver.attacks.jab"
because: why it is meant = "our game calls it once a swing"
""",
    "Check": """silence: warnings about what is meant = [ { rule = "no_vital", at = "actors.crate", because = "nobody hits it" } ]""",
    "Change": """
from: the version before the change = 1
rename: names that became others = { scrip = "brass" }
""",
    "Rooms": """
allow: what a client may ask for itself = ["take", "exchange", "accept", "turn_in", "abandon", "talk"]
rate: how many times a second it may ask, for a while = 20
""",
    "Saves": """
include: what is kept besides meters that say so = ["currencies", "items", "quests"]
changes: what names became from one version to the next = [ { from = 1, rename = { scrip = "brass" } } ]
""",
}


def _read(text: str) -> dict[str, tuple[str, str]]:
    found = {}
    for line in filter(None, text.splitlines()):
        name, _, rest = line.partition(": ")
        meaning, _, example = rest.partition(" = ")
        found[name] = (meaning, example)
    return found


_VERBS = """
heal: gives back so much of a meter, at most what is missing = { heal = 25 }
hurt: hurts as a hit of so much would, through the guard = { hurt = 2, type = "venom" }
drain: takes so much of a meter, past guard and shields = { drain = 5, meter = "air" }
revive: brings back to life, with this fraction of each meter = { revive = 0.5 }
score: adds points = { score = 10 }
deduct: takes points away, to 0 at most unless the game has negative scores = { deduct = 5 }
lives: gives lives = { lives = 1 }
earn: gives money = { earn = "scrip", amount = 6 }
spend: takes money, all of the amount or nothing = { spend = "scrip", amount = 6 }
xp: gives experience of a ladder of levels = { xp = "rank", amount = 20 }
give: gives an item, at most what the bag takes = { give = "pearl", amount = 2 }
remove: takes an item, all of the amount or nothing = { remove = "pearl", amount = 2 }
raise_bag: makes the bag so many slots larger = { raise_bag = 2 }
raise_max: makes a meter's maximum larger = { raise_max = "suit", amount = 10 }
status: puts under a status = { status = "venom" }
cure: ends a status = { cure = "venom" }
tag: sets a tag = { tag = "submerged" }
untag: takes a tag off = { untag = "submerged" }
grant: gives an achievement = { grant = "first_pearl" }
start_quest: starts a quest that may be started = { start_quest = "bells" }
fail_quest: lets an active quest fail = { fail_quest = "bells" }
place: lays a pickup where `self` stands = { place = "pearl", amount = 2, lasts = 20, spread = 1.5 }
exchange: does an exchange; where it cannot, the list ends, as at a cost that is not paid = { exchange = "harbour_office", times = 1 }
choose: does one of several lists, by their weights = { choose = [ { weight = 3, do = [ { give = "pearl" } ] }, { weight = 1, do = [] } ] }
announce: tells an event of the design's own, with its fields beside it = { announce = "reached", place = "wreck" }
"""
_BESIDE = """
meter: which meter; by default the vital one = { heal = 20, meter = "air" }
type: the type of the damage = { hurt = 2, type = "venom" }
zone: the zone that is hit = { hurt = 5, zone = "visor" }
ignores: steps of the hit that are left out = { hurt = 5, ignores = ["armour"] }
amount: how much: a number or a formula; 1 item where none is given = { earn = "scrip", amount = "2 * self.level.rank" }
keep: what of the value stays: "value", "fraction" or what is "missing" = { raise_max = "suit", amount = 10, keep = "fraction" }
lasts: seconds, or a formula: instead of what the status says; until what was placed goes = { status = "venom", lasts = 1.5 }
spread: how far from there each may lie, along x and y, by the dice = { place = "pearl", spread = 1.5 }
times: how often, all of them or none = { exchange = "harbour_office", times = 2 }
to: whom it is for, on `match_ended` also "winners" or "losers"; by default `self`, who the rule, pickup, level or quest belongs to, and `target` in an attack's `do` = { score = 100, to = "source" }
when: a formula that must hold, else it is left out = { heal = 5, when = "self.suit.fraction < 0.5" }
chance: how likely it happens, from 0 to 1: a number or a formula, by dice of its own = { give = "pearl", chance = 0.3 }
"""

EFFECTS: dict[str, tuple[str, str]] = _read(_VERBS)
"""By the verb of an effect: (what it does, an example of a whole effect in TOML)."""
BESIDE: dict[str, tuple[str, str]] = _read(_BESIDE)
"""By the key beside a verb: (what it means, an example of a whole effect in TOML)."""
KEYS: dict[str, dict[str, tuple[str, str]]] = {model: _read(text) for model, text in _TEXT.items()}
"""By model and key: (what it means, an example as it stands in TOML)."""
