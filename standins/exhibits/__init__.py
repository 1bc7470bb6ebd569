"""A simulated exhibit controller: lights, sounds and pumps of a public aquarium's galleries.

Its interface is described in docs/connectors/exhibits.md.
"""
