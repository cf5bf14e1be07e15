"""Batches: lists of independent tasks, on the cores of this machine or on many machines, with the same results."""
