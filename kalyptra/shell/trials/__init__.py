"""Trials of a whole instance: what it takes to lose something, or to get stuck. Loopback only, and bounded."""
