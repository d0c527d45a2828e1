"""Looks: saved sets of treatments or planes, taken from one shot and laid on another."""
