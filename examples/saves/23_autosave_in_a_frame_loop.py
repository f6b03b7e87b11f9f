"""A frame loop with autosave: many changes, few writes, a failing store, and an indicator that never lies."""

import cleaver
from cleaver import load_design, sample
from cleaver.hud import SaveIndicator
from cleaver.saves import Autosaver, Failure, Found, Trouble

design = load_design(sample.path("lanternreef.toml"))
seconds = [0.0]  # the game's own clock; a real game leaves `clock` out
store = cleaver.open_store("sqlite://", design)
world = cleaver.World(design)
failures: list[Failure] = []  # without on_failure they are logged as errors
saver = Autosaver(store, interval=10.0, threaded=False, clock=lambda: seconds[0], on_failure=failures.append)
ana = saver.join(world, "ana")
light, shown = SaveIndicator(saver, "ana"), ""

for frame in range(40 * 20):
    seconds[0] = frame / 20
    if frame % 10 == 0:
        ana.earn("scrip", 1)  # twice a second
    if frame == 300:
        store.trouble = Trouble(failing=3)
    saver.pump()
    world.advance(1 / 20)
    if light.state != shown:
        shown = light.state
        print(f"{seconds[0]:5.2f} s  {shown}")
print("failures:", len(failures), "- the first:", failures[0].error)
print(
    "saver.leave:",
    saver.leave("ana"),
    "- writes:",
    saver.writes,
    "of 80 changes; unsaved at the end:",
    saver.close(),
)
found = store.load("ana")
print("in the store:", found.profile.sections["currencies"] if isinstance(found, Found) else found)
