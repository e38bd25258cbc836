"""Splines, planes and maps of the plane, as plain numbers."""
