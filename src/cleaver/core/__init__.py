"""Core: run time. No file, no screen, no wall clock, no global randomness, no thread.

`kernel`, which knows no topic: `state`, `spans`, `clock`, `dice`, `events`, `event_types`, `results`,
`living`, `later`, `delivery` and `gathered` stand on nothing; `kinds`, `actor_kinds`, `binder`,
`expressions`, `scope`, `reading` and `inputs` are the design made ready for play; `body`, `stage`, `part`,
`places`, `tallies`, `rules`, `effects` and `crossing` are what topics are made of; `arguments` and `door` are
the way in.

`stats`: `kinds`, `account`, `active`. `vitals`: `meters`, `flows`, `course`, `death`, `life`, `outlasting`,
`carried`, `hits`, `blow`, `plans`, `quick`, `shots`, `statuses`. `goods`: `kinds`, `ledgers`, `goods`,
`bags`, `gear`, `debts`, `keeping`, `pickups`, `exchanges`, `trades`, `books`. `abilities`: `abilities`,
`costs`. `contests`: `kinds`, `teams`, `scores`, `standing`, `matches`, `winning`, `ratings`, `records`,
`levels`, `stages`. `quests`: `kinds`, `errands`, `quests`, `goals`, `turning_in`, `sets`, `outliving`,
`pairing`, `offers`, `openings`, `talks`, `achievements`. `clocks`, which the game moves: `turns`, `days`,
`coming`, `calendar`.

On top `parts`, `bind`, `commands`, `telling`, `game`, `somebody`, `handles`, `shot`, `views`, `logs`,
`stat_views`, `sight`, `timing`, `world` and `read`, which the rest of Cleaver asks; `snapshots`, `profile`
and `kept` for what outlives a session; `adopting` and `adoption` for another design; `story` and `wording`
for people. Start at `world`.
"""
