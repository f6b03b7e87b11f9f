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
if TYPE_CHECKING:
    from cleaver.face import *  # noqa: F403
    from cleaver.face import __all__ as __all__


def __getattr__(name: str) -> object:
    """Bring the whole public face in when the first name of it is asked for (PEP 562)."""
    if name == "hud":  # only a program that draws needs it
        import cleaver.hud

        return cleaver.hud
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

    return sorted({*globals(), *cleaver.face.__all__})
