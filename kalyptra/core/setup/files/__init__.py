"""Setups and outlines as text: reading every version, limits, SVG."""
