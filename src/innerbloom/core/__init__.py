"""The product itself: pure computation on sounds and instruments.

Nothing here knows about HTTP, databases, sockets or clocks, so all of it can be
used from a notebook.
"""
