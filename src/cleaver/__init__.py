"""Cleaver: player progression for games, from health and damage to quests and saves.

A ten-line tour::

    import cleaver

    design = cleaver.load_design("lanternreef.toml")
    world = cleaver.World(design, seed=7)
    ana = world.join("diver", "ana")
    eel = world.spawn("eel")
    hit = eel.hit(ana, "sting", zone="visor", charge=0.5, crit=False)
    print(hit.explain())                  # 9 × 3 visor × 0.5 venom − 1 armour = 12.5
    world.advance(3)                      # the venom works
    print(ana["suit"].value)              # 71.5
    print(cleaver.hud.Bar(ana, "suit").text)
"""

TYPE_CHECKING = False
if TYPE_CHECKING:  # those that bring no other packages; of the others a checker hears by `import cleaver.lab`
    from cleaver import design as design
    from cleaver import events as events
    from cleaver import hud as hud
    from cleaver import journals as journals
    from cleaver import rooms as rooms
    from cleaver import sample as sample
    from cleaver import saves as saves
    from cleaver import script as script
    from cleaver.face import *  # noqa: F403
    from cleaver.face import __all__ as __all__

SUBMODULES = (
    "design",
    "events",
    "figures",
    "hud",
    "journals",
    "lab",
    "rooms",
    "sample",
    "saves",
    "script",
    "tables",
    "testing",
    "window",
)
"""What pages name as `cleaver.NAME`; each is imported where a program first names it."""


def __getattr__(name: str) -> object:
    """Bring the whole public face in when the first name of it is asked for (PEP 562)."""
    if name in SUBMODULES:
        from importlib import import_module

        return import_module(f"cleaver.{name}")
    if not name.startswith("__") or name == "__all__":
        import cleaver.face

        names = cleaver.face.__all__
        public = {public: getattr(cleaver.face, public) for public in names if public != "hud"}
        globals().update(public, __all__=names)
    if name == "__version__":
        from importlib import metadata  # Slow to import, and few ask for the version

        return metadata.version("cleaver-progression")
    if name not in globals():
        raise AttributeError(f"module 'cleaver' has no attribute {name!r}")
    return globals()[name]


def __dir__() -> list[str]:
    import cleaver.face

    return sorted({*globals(), *cleaver.face.__all__, *SUBMODULES})
