"""Benchmarks: speed and quality, run by hand. Figures are ratios taken in one run, or medians."""
