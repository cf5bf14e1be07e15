"""Compiled loops, by what they do; :mod:`innerbloom.core.engine.sources` names the sources."""
