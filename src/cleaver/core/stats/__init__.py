"""Stats: what raises what of an actor, by cause."""
