"""Benches: each yields figures, most of them ratios against something measured beside it in the same run."""
