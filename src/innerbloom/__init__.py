"""Inner Bloom: field recordings turned into evolving, playable textures."""

__version__ = "0.1.0"
