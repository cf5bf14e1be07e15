"""Ensembles: several instruments that are played together."""
