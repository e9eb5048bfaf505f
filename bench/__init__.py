"""Measurements: ratios against a reference of the same run wherever there is one, for these machines are noisy."""
