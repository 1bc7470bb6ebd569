"""The demo: Kelpmoor Aquarium's systems on loopback, with a history and some trouble."""
