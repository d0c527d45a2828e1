"""Pulls: ways of getting coverage. One module per pull."""
