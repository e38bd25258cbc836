"""Registering the background of other frames, and putting together what they show of it."""
