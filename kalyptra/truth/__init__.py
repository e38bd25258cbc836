"""Clips and pictures whose truth is known: what tests and benches judge by. Nothing of the product uses it."""
